import { scaleLinear } from "d3-scale";
import { useCallback, useEffect, useRef, useState } from "react";
import { useTraceFrames } from "../api/traces";
import { fixed, ms } from "../format";
import type { Frames, Trace } from "../model/frames";
import { type Evidence, type LayerName, type Layers, TraceOverlay } from "./TraceOverlay";
import { TracesCanvas } from "./TracesCanvas";
import { frameAt, longest, outside } from "./traces";
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

export interface TraceChartProps {
  traces: Trace[];
  budgetMs: number;
  /** The trace that stands out; the others recede. */
  focus: number | null;
  /** What is looked at, null for all of it; it lives in the address. */
  zoom: Stretch | null;
  setZoom: (zoom: Stretch | null) => void;
  /** What lies over the trace that stands out. */
  layers?: Layers | undefined;
  shown?: ReadonlySet<LayerName>;
  evidence?: Evidence;
  /** What dragging does: it looks closer, or says which stretch counts. */
  drags?: "zoom" | "trim";
  trim?: (stretch: Stretch) => void;
  /** Where the cursor stands and is to be a mark, in the clock of the trace that stands out. */
  mark?: (seconds: number) => void;
  /** Sampled channels beneath, on the same clock. */
  beneath?: (view: {
    from: number;
    to: number;
    plot: number;
    left: number;
    at: number | null;
  }) => React.ReactNode;
  height?: number;
}

const NOTHING: ReadonlySet<LayerName> = new Set();
const NO_EVIDENCE: Evidence = { window: null, lockFps: null, band: null };

/**
 * Frame times of all passes over time: drag or wheel to zoom, Shift-drag or arrow keys to pan, exact values below.
 */
export function TraceChart({
  traces,
  budgetMs,
  focus,
  zoom,
  setZoom,
  layers,
  shown = NOTHING,
  evidence = NO_EVIDENCE,
  drags = "zoom",
  trim,
  mark,
  beneath,
  height = HEIGHT,
}: TraceChartProps) {
  const [frame, width] = useWidth<HTMLDivElement>(900);
  const end = Math.max(1, ...traces.map((trace) => trace.endS + trace.offsetS));
  const from = zoom?.from ?? 0;
  const to = zoom?.to ?? end;
  const plot = Math.max(100, width - PAD.left - PAD.right);
  const frames = useTraceFrames(traces, zoom);
  const drawn = traces.map((trace, i) => ({ ...trace, frames: frames[i] }));
  const focused = traces.find((trace) => trace.key === focus);
  const offset = focused?.offsetS ?? 0;
  const top = Math.max(budgetMs * 1.2, longest(frames, from, to, traces) * 1.06) || budgetMs * 2;
  const y = scaleLinear([0, top], [height - PAD.bottom - PAD.top, 0]);
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
      if (pans || Math.abs(stop - start) <= (to - from) / 100) return;
      const stretch = { from: Math.min(start, stop), to: Math.max(start, stop) };
      if (drags === "trim" && trim)
        trim({ from: Math.max(0, stretch.from - offset), to: Math.max(0, stretch.to - offset) });
      else look(stretch.from, stretch.to);
    };
    place.addEventListener("pointermove", move);
    place.addEventListener("pointerup", release);
  };
  /** One frame on or back in the trace that stands out, so that every frame is reached by keys. */
  const stepCursor = (by: number) => {
    const one = frames[traces.findIndex((trace) => trace.key === (focus ?? traces[0]?.key))];
    if (!one?.end.length) return;
    const begin = at ?? from + (to - from) / 2;
    const index = frameAt(one.end, begin - offset) ?? one.end.length - 1;
    const next = Math.max(0, Math.min(one.end.length - 1, at === null ? index : index + by));
    // Just before its end, so that it is this frame that is being shown.
    const moment = (one.end[next] ?? 0) + offset;
    setAt(moment);
    if (moment < from || moment > to) look(moment - (to - from) / 2, moment + (to - from) / 2);
  };
  const onKey = (event: React.KeyboardEvent) => {
    const span = to - from;
    if (event.key === "+" || event.key === "=") zoomAround(ZOOM_STEP, from + span / 2);
    else if (event.key === "-") zoomAround(1 / ZOOM_STEP, from + span / 2);
    else if (event.key === "ArrowRight") look(from + span * PAN_STEP, to + span * PAN_STEP);
    else if (event.key === "ArrowLeft") look(from - span * PAN_STEP, to - span * PAN_STEP);
    else if (event.key === "0") setZoom(null);
    else if (event.key === "." || event.key === ",") stepCursor(event.key === "." ? 1 : -1);
    else if (event.key === "j" && mark && at !== null) mark(at - offset);
    else return;
    event.stopPropagation();
    event.preventDefault();
  };

  return (
    <div ref={frame} className="min-w-0 overflow-hidden">
      {/* biome-ignore lint/a11y/useSemanticElements: a drawing with keys of its own has no element */}
      <div
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the chart is zoomed and panned by keys
        tabIndex={0}
        aria-label="Frame times over time. Plus and minus zoom, arrow keys pan, 0 shows all, comma and full stop go frame by frame."
        onKeyDown={onKey}
        className="relative"
        style={{ height: height }}
      >
        <Axes x={x} y={y} width={width} height={height} budgetMs={budgetMs} />
        {/* biome-ignore lint/a11y/noStaticElementInteractions: whatever the pointer does here has a key above */}
        <div
          ref={area}
          className="absolute cursor-crosshair touch-none select-none"
          style={{ left: PAD.left, top: PAD.top, width: plot, height: height - PAD.top - PAD.bottom }}
          onPointerDown={onPress}
          onPointerMove={(event) => setAt(seconds(event.clientX))}
          onPointerLeave={() => setAt(null)}
          onDoubleClick={() => setZoom(null)}
        >
          <TracesCanvas
            traces={drawn}
            focus={focus}
            from={from}
            to={to}
            bottom={0}
            top={top}
            width={plot}
            height={height - PAD.top - PAD.bottom}
          />
          {focus !== null &&
            outside(focused?.windows ?? [], end).map(([begin, stop]) => (
              <Veil
                key={begin}
                left={x(Math.max(from, begin + offset))}
                right={x(Math.min(to, stop + offset))}
              />
            ))}
          <TraceOverlay
            layers={layers}
            shown={shown}
            evidence={evidence}
            x={(seconds) => x(seconds + offset)}
            y={y}
            width={plot}
            height={height - PAD.top - PAD.bottom}
          />
          {drag && (
            <div
              className={`absolute inset-y-0 z-4 ${drags === "trim" ? "border-x-2 border-accent bg-[color-mix(in_oklab,var(--accent)_18%,transparent)]" : "bg-[color-mix(in_oklab,var(--focus)_20%,transparent)]"}`}
              style={{ left: x(drag.from), width: x(drag.to) - x(drag.from) }}
            />
          )}
          {at !== null && !drag && (
            <div className="absolute inset-y-0 w-px bg-mute" style={{ left: x(at) }} aria-hidden="true" />
          )}
        </div>
      </div>
      {beneath?.({ from, to, plot, left: PAD.left, at })}
      <Readout traces={traces} frames={frames} at={at} focus={focus} drags={drags} />
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

function Axes({
  x,
  y,
  width,
  height,
  budgetMs,
}: {
  x: ReturnType<typeof scaleLinear<number>>;
  y: ReturnType<typeof scaleLinear<number>>;
  width: number;
  height: number;
  budgetMs: number;
}) {
  const bottom = height - PAD.bottom;
  const right = width - PAD.right;
  const budget = PAD.top + y(budgetMs);
  return (
    <svg width={width} height={height} aria-hidden="true" className="absolute inset-0">
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
      <text x={right} y={height - 6} fontSize={12} textAnchor="end" fill="var(--soft)">
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
  focus,
  drags,
}: {
  traces: Trace[];
  frames: (Frames | undefined)[];
  at: number | null;
  focus: number | null;
  drags: "zoom" | "trim";
}) {
  return (
    <div
      className="mt-1 flex min-h-[1.6rem] flex-wrap items-baseline gap-x-5 gap-y-0.5 text-[0.86rem]"
      aria-live="polite"
    >
      {at === null ? (
        <span className="text-mute">
          {drags === "trim" ? "Drag over what counts" : "Drag"} or wheel to zoom, double-click or{" "}
          <kbd className="key">0</kbd> for all, Shift-drag or <kbd className="key">←</kbd>{" "}
          <kbd className="key">→</kbd> to pan. Point at a frame for its exact time, or go frame by frame with{" "}
          <kbd className="key">,</kbd> <kbd className="key">.</kbd>
        </span>
      ) : (
        <>
          <span className="figure font-semibold">at {fixed(at, 3)} s</span>
          {traces.map((trace, i) => (
            <span
              key={trace.key}
              className={trace.key === focus ? "font-bold" : ""}
              style={{ color: `var(--lane-${trace.lane % 6})` }}
            >
              {trace.label} <span className="figure">{value(frames[i], at - trace.offsetS)}</span>
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
