import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Schemas } from "../../api/client";
import { figure, fps } from "../../format";
import { disc, laneShape } from "../marks";
import { Bracket, CONDENSED, type Drawn, Frame, groundOf, type Told } from "./Frame";
import { RateAxis } from "./RateAxis";

type Sweep = Schemas["SweepAnswer"];

/** The curve over the level with its intervals, where it bends, and a rival at the power that it draws. */
export function SweepPicture({
  sweep,
  rival,
  ...rest
}: Drawn & Told & { sweep: Sweep; rival?: { name: string; position: number } | undefined }) {
  const { theme } = rest;
  const { width, top, pad } = groundOf(rest);
  const end = rest.bare ? 720 : 880;
  const { points, knee, equal_power: equal } = sweep;
  const levels = points.map((one) => one.level);
  const rates = [
    ...points.flatMap((one) => [one.low ?? one.value, one.high ?? one.value]),
    ...(equal ? [equal.rival_fps] : []),
  ];
  const lowest = Math.min(...rates.filter((rate) => rate > 0));
  const most = Math.max(...rates);
  const room = Math.max((most - lowest) * 0.15, most * 0.01);
  const x = scaleLinear([Math.min(...levels), Math.max(...levels)], [pad + 150, width - pad - 120]);
  const y = scaleLinear([Math.max(0, lowest - room), most + room], [end, top + 30]).nice(6);
  const unit = sweep.unit ? `, ${sweep.unit}` : "";
  const small = { fontFamily: theme.mono, fontSize: 22, fill: theme.mute };
  const words = { fontFamily: theme.sans, fontSize: 24, ...CONDENSED };
  const path = line<(typeof points)[number]>()
    .x((one) => x(one.level))
    .y((one) => y(one.value));
  return (
    <Frame {...rest} height={end + 84}>
      <RateAxis theme={theme} y={y} ticks={7} top={top} pad={pad} width={width} />
      {knee && (
        <g>
          <rect
            x={x(knee.from_step) - 3}
            y={top + 10}
            width={x(knee.to_step) - x(knee.from_step) + 6}
            height={end - top - 10}
            fill={theme.band}
          />
          <path
            d={`M${x(knee.level)} ${top + 10}V${end}`}
            stroke={theme.ink}
            strokeDasharray="9 7"
            strokeWidth={2}
          />
          <text x={x(knee.level) + 16} y={end - 20} {...words} fontWeight={600} fill={theme.ink}>
            beyond, a step brings clearly less
          </text>
        </g>
      )}
      <path d={path([...points]) ?? ""} fill="none" stroke={theme.lane(0)} strokeWidth={4} />
      {points.map((one) => (
        <g key={one.lane} transform={`translate(${x(one.level)} 0)`}>
          {one.low != null && one.high != null && (
            <Bracket low={y(one.low)} high={y(one.high)} half={11} stroke={theme.ink} upright />
          )}
          <path d={disc(9)} transform={`translate(0 ${y(one.value)})`} fill={theme.lane(0)} />
          <text
            y={y(one.high ?? one.value) - 18}
            {...small}
            fill={theme.ink}
            fontWeight={700}
            textAnchor="middle"
          >
            {fps(one.value)}
          </text>
          <text y={end + 34} {...small} textAnchor="middle">
            {figure(one.level)}
          </text>
          {one.watts != null && (
            <text y={end + 66} {...small} textAnchor="middle">
              {figure(Math.round(one.watts))} W
            </text>
          )}
        </g>
      ))}
      <text x={pad} y={end + 34} {...words} fill={theme.mute}>
        level{unit}
      </text>
      {points.some((one) => one.watts != null) && (
        <text x={pad} y={end + 66} {...words} fill={theme.mute}>
          drawn
        </text>
      )}
      {equal && rival && (
        <g transform={`translate(${x(equal.level)} ${y(equal.rival_fps)})`}>
          <path d={laneShape(rival.position, 12)} fill={theme.lane(rival.position)} />
          <text x={20} y={8} {...words} fontWeight={600} fill={theme.ink}>
            {rival.name}, at its {figure(Math.round(equal.watts))} W
          </text>
        </g>
      )}
      <path d={`M${pad + 110} ${end}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
    </Frame>
  );
}
