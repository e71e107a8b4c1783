import { useTraceFrames } from "../../api/traces";
import { TracesCanvas } from "../../charts/TracesCanvas";
import { longest } from "../../charts/traces";
import { LaneName } from "../../controls/LaneMark";
import { count } from "../../format";
import type { Trace } from "../../model/frames";
import type { Study } from "../../model/study";

const WIDTH = 196;
const HEIGHT = 92;
const AT_ONCE = 11;

/** The same test in the other lanes, each small and on the scale of all; pressed, it is the one in question. */
export function LaneStrip({
  study,
  lane,
  traces,
  budgetMs,
  go,
}: {
  study: Study;
  lane: number | undefined;
  /** Passes of the test in all lanes. */
  traces: readonly (Trace & { laneId: number })[];
  budgetMs: number;
  go: (pass: number) => void;
}) {
  const others = study.lanes_full
    .filter((one) => one.id !== lane && traces.some((trace) => trace.laneId === one.id))
    .slice(0, AT_ONCE);
  const shown = traces.filter((trace) => others.some((one) => one.id === trace.laneId));
  const frames = useTraceFrames(shown as Trace[], null);
  if (!others.length) return null;
  const end = Math.max(1, ...shown.map((trace) => trace.endS));
  const top = Math.max(budgetMs * 1.2, Math.min(longest(frames, 0, end), budgetMs * 4));
  return (
    <section aria-label="The same test in the other lanes">
      <h2 className="label mb-1">The same test in the other lanes</h2>
      <ul className="flex flex-wrap gap-3">
        {others.map((one) => {
          const own = shown.filter((trace) => trace.laneId === one.id);
          return (
            <li key={one.id}>
              <button
                type="button"
                className="sheet block cursor-pointer p-1.5 text-left hover:border-ink"
                onClick={() => go(own[0]?.key ?? 0)}
              >
                <span className="flex items-baseline justify-between gap-2 text-[0.84rem]">
                  <span className="truncate font-semibold" style={{ maxWidth: WIDTH - 52 }} title={one.name}>
                    <LaneName lane={one.position} name={one.name} />
                  </span>
                  <span className="text-mute">{count(own.length, "pass", "passes")}</span>
                </span>
                <span className="relative mt-1 block" style={{ width: WIDTH, height: HEIGHT }}>
                  <svg width={WIDTH} height={HEIGHT} aria-hidden="true" className="absolute inset-0">
                    <path
                      d={`M0 ${HEIGHT * (1 - budgetMs / top)}H${WIDTH}`}
                      stroke="var(--ink)"
                      strokeDasharray="6 4"
                      strokeWidth={0.8}
                    />
                  </svg>
                  <TracesCanvas
                    traces={own.map((trace) => ({
                      ...trace,
                      offsetS: 0,
                      frames: frames[shown.indexOf(trace)],
                    }))}
                    focus={null}
                    from={0}
                    to={end}
                    bottom={0}
                    top={top}
                    width={WIDTH}
                    height={HEIGHT}
                  />
                </span>
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
