import { useEffect, useMemo, useRef, useState } from "react";
import uPlot from "uplot";
import { fixed, ms } from "../format";
import { useScheme } from "../scheme";
import { frameAt, type Trace } from "./traces";
import { useWidth } from "./useWidth";

interface Props {
  traces: Trace[];
  budgetMs: number;
  /** The trace that stands out; the others recede. */
  focus: number | null;
}

const HEIGHT = 330;
const ZOOM_STEP = 0.8;
const PAN_STEP = 0.2;

function colourOf(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

/** Frame times of all passes over time: drag or wheel to zoom, Shift-drag or arrow keys to pan, exact values below. */
export function TraceChart({ traces, budgetMs, focus }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(900);
  const place = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const [at, setAt] = useState<number | null>(null);
  const end = useMemo(() => Math.max(1, ...traces.map((trace) => trace.clock.at(-1) ?? 0)), [traces]);
  const scheme = useScheme();

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new width only resizes, see below; colours follow the scheme
  useEffect(() => {
    if (!place.current) return;
    // The trace that stands out is drawn last, over the others.
    const order = [...traces].sort((a, b) => Number(a.key === focus) - Number(b.key === focus));
    const table = uPlot.join(
      order.map((trace) => [Array.from(trace.clock), Array.from(trace.ms)] as uPlot.AlignedData),
    );
    const ink = colourOf("--mute");
    const grid = { stroke: colourOf("--grid"), width: 1 };
    const font = "12px 'Spline Sans Mono Variable', monospace";
    const axis = { stroke: ink, grid, ticks: grid, font };
    const chart = new uPlot(
      {
        width,
        height: HEIGHT,
        legend: { show: false },
        scales: { x: { time: false }, y: { range: (_, low, high) => [Math.max(0, low * 0.9), high * 1.06] } },
        axes: [
          {
            ...axis,
            label: "seconds into the pass",
            labelFont: "12px 'Archivo Variable', sans-serif",
            labelSize: 20,
            size: 34,
          },
          {
            ...axis,
            label: "frame time, ms",
            labelFont: "12px 'Archivo Variable', sans-serif",
            labelSize: 20,
            size: 46,
          },
        ],
        series: [
          {},
          ...order.map((trace) => ({
            stroke: colourOf(`--lane-${trace.lane % 6}`),
            width: trace.key === focus ? 2 : 1,
            alpha: focus === null || trace.key === focus ? 0.9 : 0.22,
            ...(trace.dashed ? { dash: [3, 3] } : {}),
            spanGaps: true,
            points: { show: false },
          })),
        ],
        cursor: { drag: { x: true, y: false }, points: { show: false } },
        hooks: {
          setCursor: [
            (u) => setAt(u.cursor.left != null && u.cursor.left >= 0 ? u.posToVal(u.cursor.left, "x") : null),
          ],
          draw: [(u) => drawBudget(u, budgetMs)],
        },
      },
      table,
      place.current,
    );
    plot.current = chart;
    const over = chart.over;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(chart, event.deltaY < 0 ? ZOOM_STEP : 1 / ZOOM_STEP, chart.posToVal(event.offsetX, "x"), end);
    };
    const press = (event: MouseEvent) => {
      if (!event.shiftKey) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      const from = chart.posToVal(event.offsetX, "x");
      const move = (moved: MouseEvent) => {
        const now = chart.posToVal(moved.clientX - over.getBoundingClientRect().left, "x");
        pan(chart, from - now, end);
      };
      const release = () => {
        window.removeEventListener("mousemove", move);
        window.removeEventListener("mouseup", release);
      };
      window.addEventListener("mousemove", move);
      window.addEventListener("mouseup", release);
    };
    over.addEventListener("wheel", wheel, { passive: false });
    over.addEventListener("mousedown", press, { capture: true });
    return () => {
      chart.destroy();
      plot.current = null;
    };
  }, [traces, budgetMs, focus, end, scheme]);

  useEffect(() => plot.current?.setSize({ width, height: HEIGHT }), [width]);

  const onKey = (event: React.KeyboardEvent) => {
    const chart = plot.current;
    if (!chart) return;
    const { min = 0, max = end } = chart.scales.x ?? {};
    const span = (max ?? end) - (min ?? 0);
    if (event.key === "+" || event.key === "=") zoom(chart, ZOOM_STEP, (min ?? 0) + span / 2, end);
    else if (event.key === "-") zoom(chart, 1 / ZOOM_STEP, (min ?? 0) + span / 2, end);
    else if (event.key === "ArrowRight") pan(chart, span * PAN_STEP, end);
    else if (event.key === "ArrowLeft") pan(chart, -span * PAN_STEP, end);
    else if (event.key === "0") chart.setScale("x", { min: 0, max: end });
    else return;
    event.preventDefault();
  };

  return (
    <div ref={frame} className="min-w-0 overflow-hidden">
      {/* biome-ignore lint/a11y/useSemanticElements: a canvas with keys of its own has no element */}
      <div
        ref={place}
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the chart is zoomed and panned by keys
        tabIndex={0}
        aria-label="Frame times over time. Plus and minus zoom, arrow keys pan, 0 shows all."
        onKeyDown={onKey}
      />
      <Readout traces={traces} at={at} />
    </div>
  );
}

function Readout({ traces, at }: { traces: Trace[]; at: number | null }) {
  return (
    <div
      className="mt-1 flex min-h-[1.6rem] flex-wrap items-baseline gap-x-5 gap-y-0.5 text-[0.86rem]"
      aria-live="off"
    >
      {at === null ? (
        <span className="text-mute">
          Drag or wheel to zoom, double-click or <kbd className="key">0</kbd> for all, Shift-drag or{" "}
          <kbd className="key">←</kbd> <kbd className="key">→</kbd> to pan. Point at a frame for its exact
          time.
        </span>
      ) : (
        <>
          <span className="figure font-semibold">at {fixed(at, 3)} s</span>
          {traces.map((trace) => {
            const index = frameAt(trace.clock, at);
            return (
              <span key={trace.key} style={{ color: `var(--lane-${trace.lane % 6})` }}>
                {trace.label}{" "}
                <span className="figure">{index === null ? "–" : `${ms(trace.ms[index] ?? 0)} ms`}</span>
              </span>
            );
          })}
        </>
      )}
    </div>
  );
}

function zoom(chart: uPlot, factor: number, around: number, end: number): void {
  const { min, max } = chart.scales.x ?? {};
  if (min == null || max == null) return;
  const low = Math.max(0, around - (around - min) * factor);
  const high = Math.min(end, around + (max - around) * factor);
  if (high - low > 0.05) chart.setScale("x", { min: low, max: high });
}

function pan(chart: uPlot, by: number, end: number): void {
  const { min, max } = chart.scales.x ?? {};
  if (min == null || max == null) return;
  const step = Math.max(-min, Math.min(by, end - max));
  chart.setScale("x", { min: min + step, max: max + step });
}

function drawBudget(chart: uPlot, budgetMs: number): void {
  const y = chart.valToPos(budgetMs, "y", true);
  const { left, top, width, height } = chart.bbox;
  if (y < top || y > top + height) return;
  const { ctx } = chart;
  ctx.save();
  ctx.strokeStyle = colourOf("--ink");
  ctx.fillStyle = colourOf("--soft");
  ctx.setLineDash([8, 5]);
  ctx.beginPath();
  ctx.moveTo(left, y);
  ctx.lineTo(left + width, y);
  ctx.stroke();
  ctx.font = `${12 * devicePixelRatio}px 'Archivo Variable', sans-serif`;
  ctx.textAlign = "right";
  ctx.fillText(`budget ${ms(budgetMs)} ms`, left + width - 6, y - 5);
  ctx.restore();
}
