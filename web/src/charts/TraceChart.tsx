import { scaleLinear } from "d3-scale";
import { useCallback, useEffect, useRef, useState } from "react";
import { useTraceFrames } from "../api/traces";
import { fixed, ms } from "../format";
import { useScheme } from "../scheme";
import { type Frames, frameAt, longest, polyline, type Trace } from "./traces";
import { useWidth } from "./useWidth";

const HEIGHT = 330;
const PAD = { left: 52, right: 8, top: 10, bottom: 42 };
const ZOOM_STEP = 0.8;
const PAN_STEP = 0.2;
/** Closer than this there is nothing more to see. */
const CLOSEST_S = 0.05;

export interface Stretch {
  from: number;
  to: number;
}

interface Props {
  traces: Trace[];
  budgetMs: number;
  /** The trace that stands out; the others recede. */
  focus: number | null;
  /** What is looked at, null for all of it; it lives in the address. */
  zoom: Stretch | null;
  setZoom: (zoom: Stretch | null) => void;
}

/**
 * Frame times of all passes over time: drag or wheel to zoom, Shift-drag or arrow keys to pan, exact values below. Each
 * trace is a layer of its own, so that another one stands out without anything being drawn again.
 */
export function TraceChart({ traces, budgetMs, focus, zoom, setZoom }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(900);
  const end = Math.max(1, ...traces.map((trace) => trace.endS));
  const from = zoom?.from ?? 0;
  const to = zoom?.to ?? end;
  const plot = Math.max(100, width - PAD.left - PAD.right);
  const frames = useTraceFrames(traces, zoom);
  const top = Math.max(budgetMs * 1.2, longest(frames, from, to) * 1.06) || budgetMs * 2;
  const y = scaleLinear([0, top], [HEIGHT - PAD.bottom - PAD.top, 0]);
  const x = scaleLinear([from, to], [0, plot]);
  const [at, setAt] = useState<number | null>(null);
  const [drag, setDrag] = useState<Stretch | null>(null);
  const area = useRef<HTMLDivElement>(null);

  const look = useCallback(
    (low: number, high: number) => {
      const span = Math.min(end, Math.max(CLOSEST_S, high - low));
      const start = Math.max(0, Math.min(low, end - span));
      setZoom(span >= end ? null : { from: start, to: start + span });
    },
    [end, setZoom],
  );
  const zoomAround = useCallback(
    (factor: number, around: number) =>
      look(around - (around - from) * factor, around + (to - around) * factor),
    [look, from, to],
  );
  const seconds = useCallback(
    (clientX: number) => {
      const left = area.current?.getBoundingClientRect().left ?? 0;
      return from + ((clientX - left) / plot) * (to - from);
    },
    [from, to, plot],
  );

  useEffect(() => {
    const place = area.current;
    if (!place) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      zoomAround(event.deltaY < 0 ? ZOOM_STEP : 1 / ZOOM_STEP, seconds(event.clientX));
    };
    place.addEventListener("wheel", wheel, { passive: false });
    return () => place.removeEventListener("wheel", wheel);
  }, [zoomAround, seconds]);

  const onPress = (event: React.PointerEvent) => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const start = seconds(event.clientX);
    const begins = { from, to };
    const pans = event.shiftKey;
    const place = event.currentTarget;
    const move = (moved: Event) => {
      const now = (moved as PointerEvent).clientX;
      if (pans) {
        const by = ((event.clientX - now) / plot) * (begins.to - begins.from);
        look(begins.from + by, begins.to + by);
      } else setDrag({ from: Math.min(start, seconds(now)), to: Math.max(start, seconds(now)) });
    };
    const release = (moved: Event) => {
      place.removeEventListener("pointermove", move);
      place.removeEventListener("pointerup", release);
      setDrag(null);
      const stop = seconds((moved as PointerEvent).clientX);
      if (!pans && Math.abs(stop - start) > (to - from) / 100)
        look(Math.min(start, stop), Math.max(start, stop));
    };
    place.addEventListener("pointermove", move);
    place.addEventListener("pointerup", release);
  };
  const onKey = (event: React.KeyboardEvent) => {
    const span = to - from;
    if (event.key === "+" || event.key === "=") zoomAround(ZOOM_STEP, from + span / 2);
    else if (event.key === "-") zoomAround(1 / ZOOM_STEP, from + span / 2);
    else if (event.key === "ArrowRight") look(from + span * PAN_STEP, to + span * PAN_STEP);
    else if (event.key === "ArrowLeft") look(from - span * PAN_STEP, to - span * PAN_STEP);
    else if (event.key === "0") setZoom(null);
    else return;
    event.preventDefault();
  };

  return (
    <div ref={frame} className="min-w-0 overflow-hidden">
      {/* biome-ignore lint/a11y/useSemanticElements: a drawing with keys of its own has no element */}
      <div
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the chart is zoomed and panned by keys
        tabIndex={0}
        aria-label="Frame times over time. Plus and minus zoom, arrow keys pan, 0 shows all."
        onKeyDown={onKey}
        className="relative"
        style={{ height: HEIGHT }}
      >
        <Axes x={x} y={y} width={width} budgetMs={budgetMs} />
        {/* biome-ignore lint/a11y/noStaticElementInteractions: whatever the pointer does here has a key above */}
        <div
          ref={area}
          className="absolute cursor-crosshair touch-none select-none"
          style={{ left: PAD.left, top: PAD.top, width: plot, height: HEIGHT - PAD.top - PAD.bottom }}
          onPointerDown={onPress}
          onPointerMove={(event) => setAt(seconds(event.clientX))}
          onPointerLeave={() => setAt(null)}
          onDoubleClick={() => setZoom(null)}
        >
          {traces.map((trace, i) => (
            <Layer
              key={trace.key}
              trace={trace}
              frames={frames[i]}
              from={from}
              to={to}
              top={top}
              width={plot}
              height={HEIGHT - PAD.top - PAD.bottom}
              standing={focus === null ? "alike" : trace.key === focus ? "out" : "back"}
            />
          ))}
          {focus !== null &&
            outside(traces.find((trace) => trace.key === focus)?.windows ?? [], end).map(([begin, stop]) => (
              <Veil key={begin} left={x(Math.max(from, begin))} right={x(Math.min(to, stop))} />
            ))}
          {drag && (
            <div
              className="absolute inset-y-0 bg-[color-mix(in_oklab,var(--focus)_20%,transparent)]"
              style={{ left: x(drag.from), width: x(drag.to) - x(drag.from) }}
            />
          )}
          {at !== null && !drag && (
            <div className="absolute inset-y-0 w-px bg-mute" style={{ left: x(at) }} aria-hidden="true" />
          )}
        </div>
      </div>
      <Readout traces={traces} frames={frames} at={at} />
    </div>
  );
}

/** What of the pass that stands out is trimmed away. */
function Veil({ left, right }: { left: number; right: number }) {
  if (right <= left) return null;
  return (
    <div
      data-veil
      className="pointer-events-none absolute inset-y-0 z-2 border-x border-mute bg-[repeating-linear-gradient(135deg,color-mix(in_oklab,var(--paper)_72%,transparent)_0_6px,color-mix(in_oklab,var(--mute)_30%,transparent)_6px_8px)]"
      style={{ left, width: right - left }}
    />
  );
}

/** The stretches between and around windows. */
export function outside(windows: number[][], end: number): [number, number][] {
  if (!windows.length) return [];
  const edges = [0, ...windows.flat(), Math.max(end, windows.at(-1)?.[1] ?? end)];
  const found: [number, number][] = [];
  for (let i = 0; i < edges.length; i += 2) {
    const [begin = 0, stop = 0] = [edges[i], edges[i + 1]];
    if (stop > begin) found.push([begin, stop]);
  }
  return found;
}

interface LayerProps {
  trace: Trace;
  frames: Frames | undefined;
  from: number;
  to: number;
  top: number;
  width: number;
  height: number;
  standing: "out" | "back" | "alike";
}

/** One trace on a canvas of its own. That it stands out is only how the canvas is shown. */
function Layer({ trace, frames, from, to, top, width, height, standing }: LayerProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scheme = useScheme();
  // biome-ignore lint/correctness/useExhaustiveDependencies: colours follow the scheme
  useEffect(() => {
    const place = canvas.current;
    const context = place?.getContext("2d");
    if (!place || !context) return;
    const ratio = window.devicePixelRatio || 1;
    place.width = Math.round(width * ratio);
    place.height = Math.round(height * ratio);
    context.scale(ratio, ratio);
    if (!frames) return;
    const colours = getComputedStyle(document.documentElement);
    context.strokeStyle = colours.getPropertyValue(`--lane-${trace.lane % 6}`).trim();
    context.lineWidth = 1.4;
    context.lineJoin = "round";
    if (trace.dashed) context.setLineDash([3, 3]);
    context.beginPath();
    polyline(frames, from, to, width, (value) => height * (1 - value / top)).forEach(([left, down], i) => {
      if (i) context.lineTo(left, down);
      else context.moveTo(left, down);
    });
    context.stroke();
  }, [frames, from, to, top, width, height, trace.lane, trace.dashed, scheme]);
  return (
    <canvas
      ref={canvas}
      className="pointer-events-none absolute inset-0"
      style={{
        width,
        height,
        opacity: standing === "back" ? 0.24 : 0.92,
        zIndex: standing === "out" ? 1 : 0,
      }}
    />
  );
}

function Axes({
  x,
  y,
  width,
  budgetMs,
}: {
  x: ReturnType<typeof scaleLinear<number>>;
  y: ReturnType<typeof scaleLinear<number>>;
  width: number;
  budgetMs: number;
}) {
  const bottom = HEIGHT - PAD.bottom;
  const right = width - PAD.right;
  const budget = PAD.top + y(budgetMs);
  return (
    <svg width={width} height={HEIGHT} aria-hidden="true" className="absolute inset-0">
      {y.ticks(6).map((tick) => (
        <g key={tick}>
          <path d={`M${PAD.left} ${PAD.top + y(tick)}H${right}`} stroke="var(--grid)" />
          <text
            x={PAD.left - 7}
            y={PAD.top + y(tick) + 4}
            fontSize={12}
            textAnchor="end"
            fill="var(--mute)"
            className="figure"
          >
            {tick}
          </text>
        </g>
      ))}
      {x.ticks(8).map((tick) => (
        <g key={tick}>
          <path d={`M${PAD.left + x(tick)} ${PAD.top}V${bottom}`} stroke="var(--grid)" />
          <text
            x={PAD.left + x(tick)}
            y={bottom + 16}
            fontSize={12}
            textAnchor="middle"
            fill="var(--mute)"
            className="figure"
          >
            {tick}
          </text>
        </g>
      ))}
      <text x={right} y={HEIGHT - 6} fontSize={12} textAnchor="end" fill="var(--soft)">
        seconds into the pass
      </text>
      <text
        transform={`translate(13 ${PAD.top}) rotate(-90)`}
        fontSize={12}
        textAnchor="end"
        fill="var(--soft)"
      >
        frame time, ms
      </text>
      <path d={`M${PAD.left} ${budget}H${right}`} stroke="var(--ink)" strokeDasharray="8 5" />
      <text x={right - 6} y={budget - 5} fontSize={12} textAnchor="end" fill="var(--soft)">
        budget {ms(budgetMs)} ms
      </text>
    </svg>
  );
}

function Readout({
  traces,
  frames,
  at,
}: {
  traces: Trace[];
  frames: (Frames | undefined)[];
  at: number | null;
}) {
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
          {traces.map((trace, i) => (
            <span key={trace.key} style={{ color: `var(--lane-${trace.lane % 6})` }}>
              {trace.label} <span className="figure">{value(frames[i], at)}</span>
            </span>
          ))}
        </>
      )}
    </div>
  );
}

/** The frame at a moment; where only stretches are known, its shortest and longest. */
function value(frames: Frames | undefined, at: number): string {
  const index = frames ? frameAt(frames.end, at) : null;
  if (!frames || index === null) return "–";
  const low = frames.low[index] ?? 0;
  const high = frames.high[index] ?? 0;
  return low === high ? `${ms(high)} ms` : `${ms(low)} to ${ms(high)} ms`;
}
