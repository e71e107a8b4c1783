import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { fps, ms } from "../../format";
import { laneShape } from "../marks";
import { outside } from "../traces";
import { WholeText } from "../WholeText";
import { CONDENSED, type Drawn, Frame, groundOf, type Told } from "./Frame";

type Printed = Schemas["TracesPrinted"];

const LABEL = 54;
const TALL = 190;
/** On a phone and on paper, where letters are larger beside it: of one, and of all of them. */
const NARROW_ONE = 130;
const NARROW_ALL = 420;
const LEFT = 74;

/** Frame times of passes beneath each other, all on one scale: what one does is not hidden behind another. */
export function TracesPicture({ trace, ...rest }: Drawn & Told & { trace: Printed }) {
  const { theme } = rest;
  const { width, top, bottom, pad } = groundOf(rest);
  const most = rest.narrow ? Math.min(NARROW_ONE, NARROW_ALL / trace.passes.length) : TALL;
  const row = Math.min(rest.bare ? most + LABEL : 340, (bottom - top - 20) / trace.passes.length);
  const high = row - LABEL;
  const longest = Math.max(trace.budget_ms * 1.2, ...trace.passes.flatMap((one) => one.high_ms));
  const x = scaleLinear([trace.from_s, trace.to_s], [pad + LEFT, width - pad]);
  const y = scaleLinear([0, longest * 1.04], [high - 8, 0]);
  const end = top + row * trace.passes.length;
  const small = { fontFamily: theme.mono, fontSize: 20, fill: theme.mute };
  const sans = { fontFamily: theme.sans, ...CONDENSED };
  return (
    <Frame {...rest} height={end + 60}>
      {trace.passes.map((one, i) => (
        <g key={one.pass_id} transform={`translate(0 ${top + i * row})`}>
          <path
            d={laneShape(one.position, 10)}
            transform={`translate(${pad + 12} ${LABEL / 2})`}
            fill={theme.lane(one.position)}
          />
          <WholeText
            x={pad + 32}
            y={LABEL / 2 + 9}
            {...sans}
            fontSize={25}
            width={width - 2 * pad - 420}
            fontWeight={650}
            fill={theme.ink}
          >
            {one.said}
          </WholeText>
          <text
            x={width - pad}
            y={LABEL / 2 + 8}
            fontFamily={theme.mono}
            fontSize={22}
            textAnchor="end"
            fill={theme.soft}
          >
            {one.average_fps == null ? "no frame that counts" : `${fps(one.average_fps)} fps`}
            {one.longest_ms != null && `, longest ${ms(one.longest_ms)} ms`}
          </text>
          <g transform={`translate(0 ${LABEL})`}>
            {y.ticks(3).map((tick) => (
              <g key={tick}>
                <path d={`M${pad + LEFT} ${y(tick)}H${width - pad}`} stroke={theme.grid} strokeWidth={1.5} />
                <text x={pad + LEFT - 12} y={y(tick) + 7} {...small} textAnchor="end">
                  {tick}
                </text>
              </g>
            ))}
            <path
              d={lineOf(one, x, y)}
              fill={theme.lane(one.position)}
              stroke={theme.lane(one.position)}
              strokeWidth={1.6}
              strokeLinejoin="round"
            />
            {outside(one.counts, trace.to_s).map(([from, to]) => (
              <rect
                key={from}
                x={x(Math.max(from, trace.from_s))}
                width={Math.max(0, x(Math.min(to, trace.to_s)) - x(Math.max(from, trace.from_s)))}
                y={0}
                height={high - 8}
                fill={theme.band}
                opacity={0.86}
              />
            ))}
            <path
              d={`M${pad + LEFT} ${y(trace.budget_ms)}H${width - pad}`}
              stroke={theme.ink}
              strokeWidth={2}
              strokeDasharray="10 7"
            />
          </g>
        </g>
      ))}
      <path d={`M${pad + LEFT} ${end - 8}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
      {x.ticks(rest.narrow ? 5 : 10).map((tick) => (
        <text
          key={tick}
          x={x(tick)}
          y={end + 20}
          {...small}
          textAnchor={x(tick) > width - pad - 14 ? "end" : "middle"}
        >
          {tick}
        </text>
      ))}
      <text x={pad + LEFT} y={end + 48} {...sans} fontSize={20} fill={theme.mute}>
        {`frame time in ms; dashed: ${ms(trace.budget_ms)} ms, the budget`}
        {trace.passes.some((one) => one.counts.length > 0) && "; shaded: does not count"}
      </text>
      <text x={width - pad} y={end + 48} {...sans} fontSize={20} textAnchor="end" fill={theme.mute}>
        seconds
      </text>
    </Frame>
  );
}

/** A trace as the area between the shortest and the longest frame of each stretch: of single frames it is a line. */
function lineOf(one: Printed["passes"][number], x: (s: number) => number, y: (ms: number) => number): string {
  const at = (i: number, of: readonly number[]) =>
    `${x(one.end_s[i] ?? 0).toFixed(1)} ${y(of[i] ?? 0).toFixed(1)}`;
  const there = one.end_s.map((_, i) => at(i, one.high_ms));
  const back = one.end_s.map((_, i) => at(i, one.low_ms)).reverse();
  return there.length ? `M${there.join("L")}L${back.join("L")}Z` : "";
}
