import { useQueries } from "@tanstack/react-query";
import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import type { Schemas } from "../../api/client";
import { shapeQuery } from "../../api/doubts";
import { type Curve, CurveChart } from "../../charts/CurveChart";
import { useWidth } from "../../charts/useWidth";
import { Choice } from "../../controls/Choice";
import { LaneMark } from "../../controls/LaneMark";
import { percent } from "../../format";
import type { Trace } from "../../model/frames";

type Found = Schemas["ShapeOut"];
export type ShapeView = "curve" | "histogram" | "steps" | "clouds";

const HEIGHT = 290;
const PAD = { left: 68, right: 18, top: 12, bottom: 44 };
/** Frame times that are written on the axis, ms. */
const TICKS = [1, 2, 3, 5, 7, 10, 15, 20, 30, 50, 70, 100, 150, 200, 300, 500];

/** The shape of some passes: how often which frame time, its percentiles, the steps, both sides against the budget. */
export function Shape({
  traces,
  curves,
  budgetMs,
  view,
  setView,
}: {
  traces: readonly Trace[];
  curves: Curve[];
  budgetMs: number;
  view: ShapeView;
  setView: (view: ShapeView) => void;
}) {
  const found = useQueries({
    queries: traces.map((trace) => ({ ...shapeQuery(trace), enabled: view !== "curve" })),
  });
  const shapes = traces.flatMap((trace, i) => {
    const data = found[i]?.data;
    return data ? [{ trace, data }] : [];
  });
  return (
    <section aria-label="Distribution">
      <div className="mb-1 flex flex-wrap items-center justify-between gap-3">
        <h2 className="text-lg font-bold">Distribution</h2>
        <Choice
          label="What of the distribution"
          value={view}
          onChange={setView}
          options={[
            { value: "curve", label: "Percentiles" },
            { value: "histogram", label: "How often" },
            { value: "steps", label: "Steps" },
            { value: "clouds", label: "Processor and card" },
          ]}
        />
      </div>
      {view === "curve" && <CurveChart curves={curves} budgetMs={budgetMs} />}
      {view === "histogram" && <Histogram shapes={shapes} budgetMs={budgetMs} />}
      {view === "steps" && (
        <>
          <CurveChart
            curves={shapes.map(({ trace, data }) => ({
              key: trace.key,
              label: trace.label,
              lane: trace.lane,
              dashed: trace.dashed,
              ms: data.steps_ms,
            }))}
            budgetMs={budgetMs / 2}
            what="step from one frame to the next, ms"
            name="Percentiles of the steps from frame to frame of each pass"
          />
          <p className="text-[0.86rem] text-mute">
            The dashed line is half a refresh: a step beyond it is seen as a jolt.
          </p>
        </>
      )}
      {view === "clouds" && <Clouds shapes={shapes} waiting={found.some((one) => one.isPending)} />}
    </section>
  );
}

interface Shaped {
  trace: Trace;
  data: Found;
}

/** Shares of frames by frame time, on a log scale, so that the tail has room. */
function Histogram({ shapes, budgetMs }: { shapes: readonly Shaped[]; budgetMs: number }) {
  const [ref, width] = useWidth<HTMLDivElement>(600);
  const edges = shapes[0]?.data.edges_ms;
  if (!edges) return <div ref={ref} style={{ height: HEIGHT }} />;
  const used = edges.flatMap((edge, i) =>
    shapes.some(({ data }) => (data.share[i] ?? 0) > 0) ? [edge] : [],
  );
  const x = scaleLog(
    [Math.min(budgetMs, used[0] ?? 1) * 0.9, Math.max(budgetMs, used.at(-1) ?? 10) * 1.15],
    [PAD.left, width - PAD.right],
  );
  const most = Math.max(...shapes.flatMap(({ data }) => data.share));
  const y = scaleLinear([0, most], [HEIGHT - PAD.bottom, PAD.top]).nice(4);
  const path = line<readonly [number, number]>(
    ([ms]) => x(ms),
    ([, share]) => y(share),
  );
  const [bottom = 0, top = 0] = y.range();
  return (
    <div ref={ref} className="overflow-hidden">
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label="How often which frame time occurs in each pass"
      >
        {y.ticks(4).map((tick) => (
          <g key={tick}>
            <path d={`M${PAD.left} ${y(tick)}H${width - PAD.right}`} stroke="var(--grid)" />
            <text
              x={PAD.left - 8}
              y={y(tick) + 4}
              fontSize={11}
              textAnchor="end"
              fill="var(--mute)"
              className="figure"
            >
              {percent(tick)}%
            </text>
          </g>
        ))}
        {TICKS.filter((tick) => tick >= (x.domain()[0] ?? 0) && tick <= (x.domain()[1] ?? 0)).map((tick) => (
          <g key={tick}>
            <path d={`M${x(tick)} ${top}V${bottom}`} stroke="var(--grid)" />
            <text
              x={x(tick)}
              y={bottom + 15}
              fontSize={11}
              textAnchor="middle"
              fill="var(--mute)"
              className="figure"
            >
              {tick}
            </text>
          </g>
        ))}
        <path d={`M${x(budgetMs)} ${top}V${bottom}`} stroke="var(--ink)" strokeDasharray="7 4" />
        <text x={x(budgetMs) + 5} y={top + 11} fontSize={12} fill="var(--soft)">
          budget
        </text>
        <text x={width - PAD.right} y={bottom + 33} fontSize={12} textAnchor="end" fill="var(--soft)">
          frame time, ms
        </text>
        <text
          transform={`translate(12 ${top}) rotate(-90)`}
          fontSize={12}
          textAnchor="end"
          fill="var(--soft)"
        >
          share of frames
        </text>
        {shapes.map(({ trace, data }) => (
          <path
            key={trace.key}
            d={
              path(
                data.share.flatMap((share, i) => {
                  const [low, high] = [edges[i] ?? 1, edges[i + 1] ?? 1];
                  const here = x.domain();
                  return high < (here[0] ?? 0) || low > (here[1] ?? 0)
                    ? []
                    : [[Math.sqrt(low * high), share] as const];
                }),
              ) ?? ""
            }
            fill="none"
            stroke={`var(--lane-${trace.lane % 6})`}
            strokeWidth={1.6}
            strokeDasharray={trace.dashed ? "2 4" : undefined}
          />
        ))}
      </svg>
    </div>
  );
}

const CLOUD = 250;

/** Processor and card time of every frame against the budget: which side is over, and how often. */
function Clouds({ shapes, waiting }: { shapes: readonly Shaped[]; waiting: boolean }) {
  const clouds = shapes.flatMap(({ trace, data }) => (data.cloud ? [{ trace, cloud: data.cloud }] : []));
  if (waiting) return <p className="text-mute">Counting the frames …</p>;
  if (!clouds.length)
    return (
      <p className="sheet border-dashed! p-6 text-soft">
        None of these files tells both processor and card time of its frames, so nobody knows which side was
        over the budget. Have the logger write both.
      </p>
    );
  return (
    <ul className="flex flex-wrap gap-5">
      {clouds.map(({ trace, cloud }) => (
        <li key={trace.key}>
          <p className="flex items-center gap-1.5 text-[0.9rem] font-semibold">
            <LaneMark lane={trace.lane} />
            {trace.label}
          </p>
          <CloudChart trace={trace} cloud={cloud} />
        </li>
      ))}
    </ul>
  );
}

function CloudChart({ trace, cloud }: { trace: Trace; cloud: NonNullable<Found["cloud"]> }) {
  const pad = { left: 40, bottom: 38, top: 6, right: 6 };
  const size = CLOUD;
  // Twice the budget both ways, whatever lies beyond at the edge.
  const end = cloud.budget_ms * 2.5;
  const x = scaleLinear([0, end], [pad.left, pad.left + size]);
  const y = scaleLinear([0, end], [pad.top + size, pad.top]);
  const most = Math.max(...cloud.count);
  const side = (size / end) * cloud.square_ms;
  const { corners } = cloud;
  const told: [string, number, number, "start" | "end", number][] = [
    ["both inside", x(0) + 5, y(0) - 6, "start", corners.both_inside],
    ["processor over", x(end) - 5, y(0) - 6, "end", corners.processor_over],
    ["card over", x(0) + 5, y(end) + 14, "start", corners.card_over],
    ["both over", x(end) - 5, y(end) + 14, "end", corners.both_over],
  ];
  return (
    <svg
      width={pad.left + size + pad.right}
      height={pad.top + size + pad.bottom}
      role="img"
      aria-label={`Processor against card time of ${trace.label}: ${told.map(([name, , , , share]) => `${name} ${percent(share)}%`).join(", ")}`}
    >
      <rect x={x(0)} y={y(end)} width={size} height={size} fill="var(--raised)" stroke="var(--rule)" />
      <rect
        x={x(0)}
        y={y(cloud.budget_ms)}
        width={x(cloud.budget_ms) - x(0)}
        height={y(0) - y(cloud.budget_ms)}
        fill="var(--band)"
      />
      {cloud.count.map((count, i) => (
        <rect
          key={`${cloud.processor[i]} ${cloud.card[i]}`}
          x={x((cloud.processor[i] ?? 0) * cloud.square_ms)}
          y={y(((cloud.card[i] ?? 0) + 1) * cloud.square_ms)}
          width={side}
          height={side}
          fill={`var(--lane-${trace.lane % 6})`}
          opacity={0.18 + 0.82 * Math.sqrt(count / most)}
        />
      ))}
      <path d={`M${x(cloud.budget_ms)} ${y(end)}V${y(0)}`} stroke="var(--ink)" strokeDasharray="6 4" />
      <path d={`M${x(0)} ${y(cloud.budget_ms)}H${x(end)}`} stroke="var(--ink)" strokeDasharray="6 4" />
      {told.map(([name, left, down, anchor, share]) => (
        <text
          key={name}
          x={left}
          y={down}
          fontSize={12}
          textAnchor={anchor}
          fill="var(--ink)"
          stroke="var(--raised)"
          strokeWidth={3}
          paintOrder="stroke"
        >
          {name} {percent(share)}%
        </text>
      ))}
      {x.ticks(4).map((tick) => (
        <text
          key={tick}
          x={x(tick)}
          y={y(0) + 14}
          fontSize={11}
          textAnchor="middle"
          fill="var(--mute)"
          className="figure"
        >
          {tick}
        </text>
      ))}
      {y.ticks(4).map((tick) => (
        <text
          key={tick}
          x={x(0) - 6}
          y={y(tick) + 4}
          fontSize={11}
          textAnchor="end"
          fill="var(--mute)"
          className="figure"
        >
          {tick}
        </text>
      ))}
      <text x={x(end)} y={y(0) + 31} fontSize={12} textAnchor="end" fill="var(--soft)">
        processor time, ms
      </text>
      <text
        transform={`translate(11 ${y(end)}) rotate(-90)`}
        fontSize={12}
        textAnchor="end"
        fill="var(--soft)"
      >
        card time, ms
      </text>
    </svg>
  );
}
