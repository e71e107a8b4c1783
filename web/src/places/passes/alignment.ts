/** Which passes of a test are laid over each other, where, and what of the siblings a check goes by. */

import type { Evidence, Layers } from "../../charts/TraceOverlay";
import type { Trace } from "../../model/frames";
import type { Pass, PassDoubt } from "./matrix";

/** More traces than these over each other tell nobody anything. */
export const MOST_TRACES = 12;

export type Over = "lane" | "all";
export type Align = "start" | "mark" | "best";

/** The passes that are drawn: those of the chosen one's lane first, then the other lanes in turn, at most twelve. */
export function overEachOther<T extends { lane_id: number; pass_id: number; number: number }>(
  traces: readonly T[],
  chosen: Pass | undefined,
  over: Over,
): T[] {
  const own = traces.filter((one) => one.lane_id === chosen?.lane_id);
  if (over === "lane" && own.length) return withChosen(own, chosen);
  // Where all have room they keep their places, whichever is chosen.
  if (traces.length <= MOST_TRACES) return [...traces];
  const others = traces.filter((one) => one.lane_id !== chosen?.lane_id);
  const turn = (one: T) => others.filter((two) => two.lane_id === one.lane_id).indexOf(one);
  return withChosen([...own, ...[...others].sort((a, b) => turn(a) - turn(b))], chosen);
}

/** The first twelve, and the chosen one whatever its place. */
function withChosen<T extends { pass_id: number }>(traces: T[], chosen: Pass | undefined): T[] {
  const first = traces.slice(0, MOST_TRACES);
  const one = traces.find((trace) => trace.pass_id === chosen?.id);
  return !one || first.includes(one) ? first : [...first.slice(0, MOST_TRACES - 1), one];
}

/** Marks of passes as an address has them: `12:3.5,13:4.25`. */
export function marksOf(text: string | null): Map<number, number> {
  const found = new Map<number, number>();
  for (const part of (text ?? "").split(",")) {
    const [pass, at] = part.split(":").map(Number);
    if (pass && at !== undefined && Number.isFinite(at) && at >= 0) found.set(pass, at);
  }
  return found;
}

export const marksText = (marks: ReadonlyMap<number, number>): string =>
  [...marks].map(([pass, at]) => `${pass}:${at.toFixed(3)}`).join(",");

/**
 * What is added to the clock of each trace: nothing where they begin together, else what lays its mark on that of the
 * chosen one, or what makes it agree best. Nothing is moved before the beginning of the picture.
 */
export function offsetsOf(
  passes: readonly number[],
  chosen: number | null,
  align: Align,
  marks: ReadonlyMap<number, number>,
  best: ReadonlyMap<number, number>,
): Map<number, number> {
  const own = chosen === null ? undefined : marks.get(chosen);
  const raw = new Map(
    passes.map((pass) => {
      if (align === "best") return [pass, best.get(pass) ?? 0] as const;
      const at = marks.get(pass);
      return [pass, align === "mark" && own !== undefined && at !== undefined ? own - at : 0] as const;
    }),
  );
  const earliest = Math.min(0, ...raw.values());
  return new Map([...raw].map(([pass, offset]) => [pass, offset - earliest]));
}

/** Whether a check holds the pass against the others of its cell. */
export const goesBySiblings = (doubts: readonly PassDoubt[]): boolean =>
  doubts.some((one) => ["off_siblings", "slow_first", "throttling", "stutter_unlike"].includes(one.check));

/** What of a pass's doubts can be drawn in its trace. Windows of a check begin where the pass's own window does. */
export function evidenceOf(
  doubts: readonly PassDoubt[],
  windows: number[][],
  siblings: readonly { layers: Layers | undefined; trace: Trace }[],
): Evidence {
  const begins = windows[0]?.[0] ?? 0;
  const window = doubts.find((one) => one.window)?.window;
  const lock = doubts.find((one) => one.check === "lock")?.evidence.lock_fps;
  return {
    window: window ? [begins + (window[0] ?? 0), begins + (window[1] ?? 0)] : null,
    lockFps: typeof lock === "number" && lock > 0 ? lock : null,
    band: goesBySiblings(doubts) ? bandOf(siblings.flatMap(({ layers }) => (layers ? [layers] : []))) : null,
  };
}

/** Between which mean frame times some passes lie in each stretch of their course. */
export function bandOf(layers: readonly Layers[]): Evidence["band"] {
  const everyS = layers[0]?.course_every_s;
  if (!everyS) return null;
  const length = Math.max(...layers.map((one) => one.course_ms.length));
  const low: number[] = [];
  const high: number[] = [];
  for (let i = 0; i < length; i++) {
    const there = layers.flatMap((one) => (one.course_ms[i] === undefined ? [] : [one.course_ms[i] ?? 0]));
    low.push(Math.min(...there));
    high.push(Math.max(...there));
  }
  return { everyS, low, high };
}
