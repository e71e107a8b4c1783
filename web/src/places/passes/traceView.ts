/** What of a test's traces is looked at, as the address of the place has it, and the traces as they are drawn. Pure. */

import type { Schemas } from "../../api/client";
import { LAYERS, type LayerName } from "../../charts/TraceOverlay";
import type { Trace } from "../../model/frames";
import type { Study } from "../../model/study";
import { type Align, marksOf, type Over } from "./alignment";
import type { ShapeView } from "./Shape";

export interface TraceView {
  over: Over;
  align: Align;
  shape: ShapeView;
  /** Where marks are set, in seconds of each pass's own clock. */
  marks: ReadonlyMap<number, number>;
  layers: ReadonlySet<LayerName>;
  /** Which of the channels sampled beside the frames are drawn. */
  channels: readonly string[];
}

const SHOWN_AT_FIRST: readonly LayerName[] = ["stutters", "pauses", "cap", "heartbeat"];

/** What the address says; what it does not say, or says wrong, is as at first. */
export function viewIn(search: URLSearchParams): TraceView {
  const oneOf = <T extends string>(name: string, others: readonly T[], first: T): T =>
    others.find((one) => one === search.get(name)) ?? first;
  const layers = search.get("layers");
  return {
    over: oneOf<Over>("over", ["all"], "lane"),
    align: oneOf<Align>("align", ["mark", "best"], "start"),
    shape: oneOf<ShapeView>("shape", ["histogram", "steps", "clouds"], "curve"),
    marks: marksOf(search.get("marks")),
    layers: new Set(
      layers === null ? SHOWN_AT_FIRST : LAYERS.filter((name) => layers.split(",").includes(name)),
    ),
    channels: (search.get("samples") ?? "").split(",").filter(Boolean),
  };
}

/** The layers as an address has them, with one of them shown or no more; none is said, since nothing means as at first. */
export function layersText(shown: ReadonlySet<LayerName>, changed: LayerName): string {
  const next = new Set(shown);
  if (!next.delete(changed)) next.add(changed);
  return LAYERS.filter((name) => next.has(name)).join(",") || "none";
}

/** The channels as an address has them, with one of them drawn or no more. */
export const channelsText = (drawn: readonly string[], changed: string): string =>
  (drawn.includes(changed) ? drawn.filter((one) => one !== changed) : [...drawn, changed]).join(",");

/** A trace as every chart of the place draws it. */
export interface DrawnTrace extends Trace {
  laneId: number;
  /** Its frame times at each share of frames, for the curve of percentiles, ms. */
  ms: number[];
}

/** The traces of a test, each named by its lane and number and moved by its offset. */
export function drawnTraces(
  traces: readonly Schemas["TraceOut"][],
  lanes: Study["lanes_full"],
  offsets: ReadonlyMap<number, number>,
): DrawnTrace[] {
  const laneOf = new Map(lanes.map((lane) => [lane.id, lane]));
  return traces.map((trace) => {
    const lane = laneOf.get(trace.lane_id);
    return {
      key: trace.pass_id,
      laneId: trace.lane_id,
      label: `${lane?.name ?? ""} ${trace.number}`,
      lane: lane?.position ?? 0,
      dashed: trace.state === "rejected",
      capture: trace.capture_id,
      made: trace.key,
      basis: trace.basis,
      endS: trace.length_s,
      windows: trace.windows,
      offsetS: offsets.get(trace.pass_id) ?? 0,
      ms: trace.curve_ms,
    };
  });
}

/** The clock of the chosen pass at the middle of what is looked at, or of everything that is drawn. */
export function middleOf(
  traces: readonly Trace[],
  chosen: number | null,
  stretch: { from: number; to: number } | null,
): number {
  const end = Math.max(0, ...traces.map((one) => one.endS + one.offsetS));
  const middle = stretch ? (stretch.from + stretch.to) / 2 : end / 2;
  return Math.max(0, middle - (traces.find((one) => one.key === chosen)?.offsetS ?? 0));
}
