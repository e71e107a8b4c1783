import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { fixed, fps } from "../../format";
import { laneShape } from "../marks";
import { WholeText } from "../WholeText";
import { Axis, Bracket, CONDENSED, type Drawn, Frame, groundOf, type Told } from "./Frame";

type Rung = Schemas["AnswerRung"];

const NAME = 470;
const SAID = 540;

export const rankWords = ([best, worst]: readonly number[]) =>
  best === worst ? `${best}` : `${best}–${worst}`;

/** A rung a lane from the fastest down: its rate with its interval, its rank, its tier; lows where they are given. */
export function LadderPicture({
  lanes,
  lows,
  names,
  targets,
  currency,
  front,
  ...rest
}: Drawn &
  Told & {
    lanes: readonly Rung[];
    lows: ReadonlyMap<string, number>;
    names: ReadonlyMap<string, { name: string; position: number }>;
    targets: readonly number[];
    currency: string;
    /** Lanes of interest: the others are drawn faintly; none where all are. */
    front: ReadonlySet<string>;
  }) {
  const { theme } = rest;
  const { width, top, bottom, pad, name, said: beside } = groundOf(rest, NAME, SAID);
  const row = Math.min(rest.bare ? 84 : 130, (bottom - top - 40) / Math.max(lanes.length, 1));
  const end = top + row * lanes.length;
  const size = Math.max(14, Math.min(27, row * 0.42));
  const rates = lanes.flatMap((one) => [one.high ?? one.fps, ...targets]);
  const x = scaleLinear([0, Math.max(...rates, 1)], [pad + name, width - pad - beside]).nice(6);
  const mono = { fontFamily: theme.mono, fontSize: size };
  const sans = { fontFamily: theme.sans, fontSize: size, ...CONDENSED };
  return (
    <Frame {...rest} height={end + 40}>
      <Axis x={x} top={top} end={end} theme={theme} label="fps →" />
      {targets.map((target) => (
        <path
          key={target}
          d={`M${x(target)} ${top - 6}V${end}`}
          stroke={theme.ink}
          strokeWidth={2}
          strokeDasharray="9 7"
        />
      ))}
      {lanes.map((one, i) => {
        const lane = names.get(one.lane);
        const colour = theme.lane(lane?.position ?? 0);
        const low = lows.get(one.lane);
        const first = one.tier !== lanes[i - 1]?.tier;
        const said = [
          one.price != null && `${fixed(one.price, 0)} ${currency}`,
          one.outclassed_by && `outclassed by ${names.get(one.outclassed_by)?.name ?? ""}`,
        ].filter(Boolean);
        return (
          <g
            key={one.lane}
            transform={`translate(0 ${top + i * row})`}
            opacity={front.size && !front.has(one.lane) ? 0.45 : 1}
          >
            <path
              d={`M${pad} 0H${width - pad}`}
              stroke={first ? theme.ink : theme.rule}
              strokeWidth={first ? 2 : 1.2}
            />
            <g transform={`translate(0 ${row / 2})`}>
              <text x={pad + 62} y={size * 0.34} {...mono} textAnchor="end" fill={theme.soft}>
                {rankWords(one.ranks)}
              </text>
              <path
                d={laneShape(lane?.position ?? 0, size * 0.42)}
                transform={`translate(${pad + 92} 0)`}
                fill={colour}
              />
              <WholeText
                x={pad + 114}
                // A name of two lines leaves room for what stands beneath it.
                y={size * (rest.narrow && said.length ? 0.02 : 0.34)}
                {...sans}
                fontSize={size}
                width={name - 134}
                fontWeight={600}
                fill={theme.ink}
              >
                {lane?.name ?? ""}
              </WholeText>
              {low != null && (
                <path
                  d={`M${x(low)} ${-row * 0.16}V${row * 0.16}M${x(low)} 0H${x(one.fps)}`}
                  stroke={colour}
                  strokeWidth={Math.max(4, row * 0.1)}
                  opacity={0.5}
                />
              )}
              {one.low != null && one.high != null && (
                <Bracket low={x(one.low)} high={x(one.high)} half={row * 0.26} stroke={theme.ink} />
              )}
              <path
                d={laneShape(lane?.position ?? 0, size * 0.42)}
                transform={`translate(${x(one.fps)} 0)`}
                fill={colour}
              />
              <text
                x={x(Math.max(one.fps, one.high ?? 0)) + 22}
                y={size * 0.36}
                {...mono}
                fontWeight={700}
                fill={theme.ink}
              >
                {fps(one.fps)}
              </text>
              {rest.narrow ? (
                <text x={pad + 114} y={size * 1.34} {...sans} fontSize={size * 0.74} fill={theme.soft}>
                  {said.join(", ")}
                </text>
              ) : (
                <WholeText
                  x={width - pad}
                  y={size * 0.34}
                  {...sans}
                  fontSize={size}
                  width={beside - 60}
                  textAnchor="end"
                  fill={theme.soft}
                >
                  {said.join(", ")}
                </WholeText>
              )}
            </g>
          </g>
        );
      })}
      <path d={`M${pad} ${end}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
    </Frame>
  );
}
