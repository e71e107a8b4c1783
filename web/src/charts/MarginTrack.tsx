import type { Schemas } from "../api/client";
import { type MarginScale, tickWords, trackMarks } from "./margins";
import { finishLine, SCREEN, type Theme } from "./marks";

interface Props {
  test: Schemas["TestFinding"];
  scale: MarginScale;
  band: number;
  lane: number;
  height: number;
  theme?: Theme;
  /** Size of a chequer of the finish line. */
  cell?: number;
}

/** One test's track: distance from the finish line, with intervals as brackets. Drawn alike on a page and in a picture. */
export function MarginTrack({ test, scale, band, lane, height, theme = SCREEN, cell = 4 }: Props) {
  const colour = theme.lane(lane);
  const low = scale(-band / (1 + band));
  const line = cell / 3;
  return (
    <>
      <rect x={low} width={scale(band) - low} height={height} fill={theme.band} />
      {scale.ticks.map((tick) => (
        <path key={tick} d={`M${scale(tick)} 0V${height}`} stroke={theme.grid} />
      ))}
      <path d={finishLine(scale(0), 0, height, cell)} fill={theme.ink} />
      {trackMarks(test, scale, height).map((mark) =>
        mark.x === null ? (
          <path
            key={mark.kind}
            d={`M0 ${mark.y}H${scale.width}`}
            stroke={theme.mute}
            strokeDasharray={`${line} ${5 * line}`}
          />
        ) : (
          <g key={mark.kind}>
            <path d={mark.bracket} stroke={colour} fill="none" strokeWidth={1.05 * line} />
            <path
              d={mark.shape}
              transform={`translate(${mark.x} ${mark.y})`}
              fill={mark.kind === "average" ? colour : theme.paper}
              stroke={mark.kind === "average" ? theme.paper : colour}
              strokeWidth={1.3 * line}
            />
          </g>
        ),
      )}
    </>
  );
}

/** The axis under the tracks. */
export function MarginAxis({ scale, theme = SCREEN }: { scale: MarginScale; theme?: Theme }) {
  return (
    <svg width={scale.width} height={22} aria-hidden="true" className="block overflow-visible">
      {scale.ticks.map((tick) => (
        <text
          key={tick}
          x={scale(tick)}
          y={15}
          textAnchor="middle"
          fontSize={11}
          fill={theme.mute}
          fontFamily={theme.mono}
        >
          {tickWords(tick)}
        </text>
      ))}
    </svg>
  );
}
