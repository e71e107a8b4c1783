import type { ScaleLinear } from "d3-scale";
import type { Theme } from "../marks";
import { CONDENSED } from "./Frame";

/** Rates, or another figure, upward, with a line across at each tick; it says that it does not begin at 0. */
export function RateAxis({
  theme,
  y,
  ticks,
  top,
  pad,
  width,
  words = "fps ↑",
}: {
  theme: Theme;
  y: ScaleLinear<number, number>;
  ticks: number;
  top: number;
  pad: number;
  width: number;
  /** What goes upward, as it is called. */
  words?: string;
}) {
  return (
    <>
      {y.ticks(ticks).map((tick) => (
        <g key={tick}>
          <path d={`M${pad + 110} ${y(tick)}H${width - pad}`} stroke={theme.grid} strokeWidth={1.5} />
          <text
            x={pad + 96}
            y={y(tick) + 7}
            fontFamily={theme.mono}
            fontSize={22}
            fill={theme.mute}
            textAnchor="end"
          >
            {tick}
          </text>
        </g>
      ))}
      <text x={pad} y={top} fontFamily={theme.sans} fontSize={24} {...CONDENSED} fill={theme.mute}>
        {words} (the axis does not begin at 0)
      </text>
    </>
  );
}
