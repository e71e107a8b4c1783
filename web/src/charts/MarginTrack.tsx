import type { Schemas } from "../api/client";
import { type MarginScale, tickWords, trackMarks } from "./margins";
import { finishLine, laneColour } from "./marks";

interface Props {
  test: Schemas["TestFinding"];
  scale: MarginScale;
  band: number;
  lane: number;
  height: number;
}

/** One test's track: distance from the finish line, with intervals as brackets. */
export function MarginTrack({ test, scale, band, lane, height }: Props) {
  const colour = laneColour(lane);
  const low = scale(-band / (1 + band));
  return (
    <svg width={scale.width} height={height} aria-hidden="true" className="block overflow-visible">
      <rect x={low} width={scale(band) - low} height={height} fill="var(--band)" />
      {scale.ticks.map((tick) => (
        <path key={tick} d={`M${scale(tick)} 0V${height}`} stroke="var(--grid)" />
      ))}
      <path d={finishLine(scale(0), 0, height)} fill="var(--ink)" />
      {trackMarks(test, scale, height).map((mark) =>
        mark.x === null ? (
          <path
            key={mark.kind}
            d={`M0 ${mark.y}H${scale.width}`}
            stroke="var(--mute)"
            strokeDasharray="1 6"
          />
        ) : (
          <g key={mark.kind}>
            <path d={mark.bracket} stroke={colour} fill="none" strokeWidth={1.4} />
            <path
              d={mark.shape}
              transform={`translate(${mark.x} ${mark.y})`}
              fill={mark.kind === "average" ? colour : "var(--paper)"}
              stroke={mark.kind === "average" ? "var(--paper)" : colour}
              strokeWidth={1.7}
            />
          </g>
        ),
      )}
    </svg>
  );
}

/** The axis under the tracks. */
export function MarginAxis({ scale }: { scale: MarginScale }) {
  return (
    <svg width={scale.width} height={22} aria-hidden="true" className="block overflow-visible">
      {scale.ticks.map((tick) => (
        <text
          key={tick}
          x={scale(tick)}
          y={15}
          textAnchor="middle"
          fontSize={11}
          fill="var(--mute)"
          className="figure"
        >
          {tickWords(tick)}
        </text>
      ))}
    </svg>
  );
}
