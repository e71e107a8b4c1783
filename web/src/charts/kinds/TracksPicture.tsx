import { scaleLinear } from "d3-scale";
import { disc, laneShape } from "../marks";
import { WholeText } from "../WholeText";
import { Axis, Bracket, CONDENSED, type Drawn, Frame, groundOf, type Told } from "./Frame";

export interface Track {
  key: string;
  name: string;
  value: number | null;
  low: number | null;
  high: number | null;
  /** At the right: what it says, or why there is nothing to draw. */
  said: string;
  lane?: number | undefined;
  strong?: boolean;
  /** An estimate, not a measurement. */
  hollow?: boolean;
}

const NAME = 520;
const SAID = 520;

/** A track a row, each value with its bracket from a line that it is held against. */
export function TracksPicture({
  tracks,
  line,
  strip,
  words,
  axis,
  ...rest
}: Drawn &
  Told & {
    tracks: readonly Track[];
    /** What everything is held against. */
    line: number;
    /** What counts as even, around the line. */
    strip?: readonly [number, number] | undefined;
    words: (value: number) => string;
    axis: string;
  }) {
  const { theme } = rest;
  const { width, top, bottom, pad, name, said } = groundOf(rest, NAME, SAID);
  const value = rest.narrow ? width - pad : width - pad - said + 190;
  const row = Math.min(rest.bare ? 70 : 110, (bottom - top - 40) / Math.max(tracks.length, 1));
  const end = top + row * tracks.length;
  const size = Math.max(12, Math.min(25, row * 0.44));
  const drawn = tracks.flatMap((one) => [one.value, one.low, one.high]).filter((one) => one != null);
  const all = [...drawn, line, ...(strip ?? [])];
  const x = scaleLinear([Math.min(...all), Math.max(...all)], [pad + name, width - pad - said]).nice(6);
  const sans = { fontFamily: theme.sans, fontSize: size, ...CONDENSED };
  return (
    <Frame {...rest} height={end + 40}>
      {strip && (
        <rect
          x={x(strip[0])}
          y={top}
          width={x(strip[1]) - x(strip[0])}
          height={end - top}
          fill={theme.band}
        />
      )}
      <Axis x={x} top={top} end={end} theme={theme} label={axis} words={words} />
      <path d={`M${x(line)} ${top}V${end}`} stroke={theme.ink} strokeWidth={3} strokeDasharray="5 5" />
      {tracks.map((one, i) => (
        <g key={one.key} transform={`translate(0 ${top + i * row})`}>
          <path
            d={`M${pad} 0H${width - pad}`}
            stroke={one.strong ? theme.ink : theme.rule}
            strokeWidth={1.4}
          />
          <g transform={`translate(0 ${row / 2})`}>
            <WholeText
              x={pad}
              y={size * 0.34}
              {...sans}
              fontSize={size}
              width={name - 24}
              fontWeight={one.strong ? 750 : 600}
              fill={theme.ink}
            >
              {one.name}
            </WholeText>
            {one.low != null && one.high != null && (
              <Bracket low={x(one.low)} high={x(one.high)} half={row * 0.24} stroke={theme.ink} />
            )}
            {one.value != null && (
              <path
                d={one.lane == null ? disc(size * 0.4) : laneShape(one.lane, size * 0.42)}
                transform={`translate(${x(one.value)} 0)`}
                {...(one.hollow
                  ? { fill: theme.paper, stroke: theme.ink, strokeWidth: 2.4 }
                  : { fill: theme.lane(one.lane ?? 1) })}
              />
            )}
            <text
              x={value}
              y={size * 0.36}
              fontFamily={theme.mono}
              fontSize={size}
              fontWeight={700}
              textAnchor="end"
              fill={theme.ink}
            >
              {one.value == null ? "–" : words(one.value)}
            </text>
            {rest.narrow ? (
              <text x={pad} y={size * 1.25} {...sans} fontSize={size * 0.82} fill={theme.soft}>
                {one.said}
              </text>
            ) : (
              <WholeText
                x={value + 26}
                y={size * 0.34}
                {...sans}
                fontSize={size}
                width={said - 220}
                fill={theme.soft}
              >
                {one.said}
              </WholeText>
            )}
          </g>
        </g>
      ))}
      <path d={`M${pad} ${end}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
    </Frame>
  );
}
