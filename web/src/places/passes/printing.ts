/** What of a test's traces is kept for a report. Pure. */

import type { Stretch } from "../../charts/TraceChart";
import type { Offer } from "../reports/Keep";
import type { Pass } from "./matrix";
import type { DrawnTrace } from "./traceView";

/** So many traces are read beneath each other. */
const MOST = 6;

/** The traces of a test as they lie: of each lane the chosen pass, or else the middle one of those that count. */
export function someTraces(
  test: number,
  passes: readonly Pass[],
  laid: readonly DrawnTrace[],
  chosen: Pass | undefined,
  looking: Stretch | null,
): Offer {
  return {
    legend: looking ? "Frame times, of what is looked at" : "Frame times",
    options: laid.map((one) => ({ key: String(one.key), label: one.label })),
    // Of many lanes the one in question is there in any case.
    first: typical(passes, laid, chosen)
      .sort((a, b) => Number(b === chosen?.id) - Number(a === chosen?.id))
      .slice(0, MOST)
      .map(String),
    most: MOST,
    blocks: (ticked) => [
      {
        kind: "trace",
        look: {
          own: false,
          figure: "",
          targets: [],
          trace: {
            test_id: test,
            passes: laid
              .filter((one) => ticked.includes(String(one.key)))
              .map((one) => ({ pass_id: one.key, offset_s: one.offsetS })),
            ...(looking && { from_s: looking.from, to_s: looking.to }),
          },
        },
      },
    ],
  };
}

/** One pass of each lane, in their order. */
export function typical(
  passes: readonly Pass[],
  laid: readonly DrawnTrace[],
  chosen: Pass | undefined,
): number[] {
  const lanes = [...new Set(laid.map((one) => one.laneId))];
  return lanes.flatMap((lane) => {
    const there = passes.filter(
      (one) => one.lane_id === lane && laid.some((trace) => trace.key === one.id && !trace.dashed),
    );
    if (chosen && there.some((one) => one.id === chosen.id)) return [chosen.id];
    const counted = there.filter((one) => one.state === "accepted");
    const ordered = (counted.length ? counted : there).sort(
      (a, b) => (a.figures?.average_fps ?? 0) - (b.figures?.average_fps ?? 0),
    );
    const middle = ordered[Math.floor((ordered.length - 1) / 2)];
    return middle ? [middle.id] : [];
  });
}
