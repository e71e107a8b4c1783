import { scaleLog, scalePoint } from "d3-scale";
import type { Schemas } from "../../api/client";
import { fps } from "../../format";
import { laneShape } from "../marks";
import { Bracket, CONDENSED, type Drawn, Frame, groundOf, type Told } from "./Frame";

type Grid = Schemas["GridAnswer"];

/** A line for each level of the first factor over the levels of the second: parallel where neither depends on the other. */
export function GridPicture({ grid, ...rest }: Drawn & Told & { grid: Grid }) {
  const { theme } = rest;
  const { width, top, pad } = groundOf(rest);
  const end = rest.bare ? 720 : 880;
  const [first, second] = grid.factors as [string, string];
  const rows = grid.levels[first] ?? [];
  const columns = grid.levels[second] ?? [];
  const rates = grid.places.flatMap((one) => [one.low ?? one.value, one.high ?? one.value]);
  const x = scalePoint(
    columns,
    rest.narrow ? [pad + 90, width - pad - 250] : [pad + 260, width - pad - 460],
  ).padding(columns.length > 1 ? 0.15 : 0.5);
  // On a ratio axis equal gains are equal distances, so that only a dependence bends the lines apart.
  const y = scaleLog([Math.min(...rates) * 0.985, Math.max(...rates) * 1.015], [end, top + 20]);
  const words = { fontFamily: theme.sans, fontSize: 25, ...CONDENSED };
  const small = { fontFamily: theme.mono, fontSize: 22 };
  return (
    <Frame {...rest} height={end + 70}>
      {columns.map((level) => (
        <g key={level} transform={`translate(${x(level)} 0)`}>
          <path d={`M0 ${top}V${end}`} stroke={theme.grid} strokeWidth={1.5} />
          <text y={end + 38} {...words} textAnchor="middle" fill={theme.ink}>
            {level}
          </text>
        </g>
      ))}
      <text x={pad} y={end + 38} {...words} fill={theme.mute}>
        {second}
      </text>
      <text x={pad} y={top} {...words} fill={theme.mute}>
        fps ↑, equal gains are equal distances
      </text>
      {rows.map((level, lane) => {
        const own = columns
          .map((other) => grid.places.find((one) => one.first === level && one.second === other))
          .filter((one) => one !== undefined);
        const colour = theme.lane(lane);
        const last = own.at(-1);
        return (
          <g key={level}>
            <path
              d={own.map((one, i) => `${i ? "L" : "M"}${x(one.second)} ${y(one.value)}`).join("")}
              fill="none"
              stroke={colour}
              strokeWidth={4}
            />
            {own.map((one) => (
              <g key={one.lane} transform={`translate(${x(one.second)} 0)`}>
                {one.low != null && one.high != null && (
                  <Bracket low={y(one.low)} high={y(one.high)} half={11} stroke={theme.ink} upright />
                )}
                <path d={laneShape(lane, 11)} transform={`translate(0 ${y(one.value)})`} fill={colour} />
                <text
                  x={-26}
                  y={y(one.value) - 14}
                  {...small}
                  fontWeight={700}
                  textAnchor="end"
                  fill={theme.ink}
                >
                  {fps(one.value)}
                </text>
              </g>
            ))}
            {last && (
              <text
                x={(x(last.second) ?? 0) + 34}
                y={y(last.value) + 8}
                {...words}
                fontWeight={600}
                fill={theme.ink}
              >
                {level}
              </text>
            )}
          </g>
        );
      })}
      <path d={`M${pad} ${end}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
    </Frame>
  );
}
