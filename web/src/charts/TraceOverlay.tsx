import type { ScaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { fixed, fps } from "../format";

export type Layers = Schemas["LayersOut"];
export const LAYERS = ["stutters", "heartbeat", "cap", "pauses", "low 1%", "low 0.1%"] as const;
export type LayerName = (typeof LAYERS)[number];

/** What checks go by, drawn where it is: a proposed window, a locked rate, how the siblings ran. */
export interface Evidence {
  window: [number, number] | null;
  lockFps: number | null;
  /** Shortest and longest mean frame time of the siblings in each stretch, ms. */
  band: { everyS: number; low: number[]; high: number[] } | null;
}

interface Props {
  layers: Layers | undefined;
  shown: ReadonlySet<LayerName>;
  evidence: Evidence;
  /** From the clock of the trace that stands out to px, and from ms to px. */
  x: (seconds: number) => number;
  y: ScaleLinear<number, number>;
  width: number;
  height: number;
}

/** Layers over a trace. What checks go by is drawn in the accent, what figures say in ink. */
export function TraceOverlay({ layers, shown, evidence, x, y, width, height }: Props) {
  const inside = (left: number, right: number) => right >= 0 && left <= width;
  const clamp = (value: number) => Math.max(0, Math.min(width, value));
  return (
    <svg
      width={width}
      height={height}
      aria-hidden="true"
      className="pointer-events-none absolute inset-0 z-3 overflow-hidden"
    >
      {evidence.band && <Band band={evidence.band} x={x} y={y} width={width} />}
      {evidence.window && (
        <g data-evidence="window">
          <rect
            x={clamp(x(evidence.window[0]))}
            width={Math.max(0, clamp(x(evidence.window[1])) - clamp(x(evidence.window[0])))}
            y={1}
            height={height - 2}
            fill="color-mix(in oklab, var(--accent) 9%, transparent)"
            stroke="var(--accent)"
            strokeDasharray="5 4"
          />
          <Label x={clamp(x(evidence.window[0])) + 5} y={14}>
            proposed: {fixed(evidence.window[0], 1)} to {fixed(evidence.window[1], 1)} s
          </Label>
        </g>
      )}
      {evidence.lockFps && (
        <g data-evidence="lock">
          <path d={`M0 ${y(1000 / evidence.lockFps)}H${width}`} stroke="var(--accent)" strokeWidth={1.6} />
          <Label x={6} y={y(1000 / evidence.lockFps) - 5}>
            held at {fps(evidence.lockFps)} fps
          </Label>
        </g>
      )}
      {layers && shown.has("stutters") && (
        <g data-layer="stutters" fill="var(--ink)">
          {layers.stutters
            .filter((one) => inside(x(one.from_s), x(one.to_s)))
            .map((one) => (
              <path key={one.from_s} d={`M${(x(one.from_s) + x(one.to_s)) / 2} ${height - 8}l-4 8h8z`} />
            ))}
        </g>
      )}
      {layers && shown.has("heartbeat") && (
        <g data-layer="heartbeat" stroke="var(--ink)" strokeDasharray="1 4">
          <path
            d={layers.beats_s
              .filter((at) => inside(x(at), x(at)))
              .map((at) => `M${x(at)} 0V${height}`)
              .join("")}
          />
          {layers.beat_period_s && (
            <Label x={width - 6} y={28} anchor="end" ink>
              a beat every {fixed(layers.beat_period_s, 2)} s
            </Label>
          )}
        </g>
      )}
      {layers && shown.has("pauses") && (
        <g data-layer="pauses">
          {layers.pauses
            .filter((one) => inside(x(one.from_s), x(one.to_s)))
            .map((one) => (
              <g key={one.from_s}>
                <rect
                  x={clamp(x(one.from_s))}
                  width={Math.max(2, clamp(x(one.to_s)) - clamp(x(one.from_s)))}
                  y={0}
                  height={height}
                  fill="color-mix(in oklab, var(--ink) 12%, transparent)"
                />
                <Label x={clamp(x(one.from_s)) + 4} y={height - 14} ink>
                  stood still {fixed(one.longest_ms / 1000, 1)} s
                </Label>
              </g>
            ))}
        </g>
      )}
      {layers && shown.has("cap") && layers.held_fps && (
        <g data-layer="cap">
          <path
            d={`M0 ${y(1000 / layers.held_fps)}H${width}`}
            stroke="var(--ink)"
            strokeWidth={1.4}
            strokeDasharray="10 3"
          />
          <Label x={width - 6} y={y(1000 / layers.held_fps) + 14} anchor="end" ink>
            {layers.held_by && layers.held_by !== "unexplained" ? layers.held_by : "held"} at{" "}
            {fps(layers.held_fps)} fps
          </Label>
        </g>
      )}
      {layers?.behind
        .filter((one) => shown.has(`low ${one.low}%` as LayerName))
        .map((one) => (
          <path
            key={one.low}
            data-layer={`low ${one.low}%`}
            fill="none"
            stroke="var(--ink)"
            strokeWidth={1.3}
            d={one.end_s
              .map((at, i) => {
                const left = x(at);
                return inside(left, left)
                  ? `M${left - 3.4} ${y(one.ms[i] ?? 0)}a3.4 3.4 0 1 0 6.8 0a3.4 3.4 0 1 0 -6.8 0`
                  : "";
              })
              .join("")}
          />
        ))}
    </svg>
  );
}

function Band({
  band,
  x,
  y,
  width,
}: {
  band: NonNullable<Evidence["band"]>;
  x: (seconds: number) => number;
  y: ScaleLinear<number, number>;
  width: number;
}) {
  const edge = (values: number[]) =>
    values
      .map((value, i) => [x((i + 0.5) * band.everyS), y(value)] as const)
      .filter(([left]) => left > -50 && left < width + 50);
  const low = edge(band.low);
  const high = edge(band.high).reverse();
  if (!low.length) return null;
  const path = [...low, ...high].map(([left, down], i) => `${i ? "L" : "M"}${left} ${down}`).join("");
  return (
    <g data-evidence="siblings">
      <path
        d={`${path}z`}
        fill="color-mix(in oklab, var(--accent) 22%, transparent)"
        stroke="var(--accent)"
        strokeWidth={0.8}
      />
    </g>
  );
}

function Label({
  x,
  y,
  anchor = "start",
  ink = false,
  children,
}: {
  x: number;
  y: number;
  anchor?: "start" | "end";
  ink?: boolean;
  children: React.ReactNode;
}) {
  return (
    <text
      x={x}
      y={y}
      fontSize={12}
      textAnchor={anchor}
      fill={ink ? "var(--ink)" : "var(--accent)"}
      stroke="var(--paper)"
      strokeWidth={3}
      paintOrder="stroke"
    >
      {children}
    </text>
  );
}
