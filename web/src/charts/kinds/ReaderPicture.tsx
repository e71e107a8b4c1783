import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { figure } from "../../format";
import { laneShape } from "../marks";
import { WholeText } from "../WholeText";
import { Axis, Bracket, CONDENSED, type Drawn, Frame, groundOf, type Told } from "./Frame";

const NAME = 470;
const SAID = 560;

/** Both lanes of every test against a reader's floor and display: what lies left of the floor is not playable. */
export function ReaderPicture({
  found,
  tests,
  lanes,
  ...rest
}: Drawn &
  Told & {
    found: Schemas["ForReaderOut"];
    tests: ReadonlyMap<string, string>;
    lanes: ReadonlyMap<string, { name: string; position: number }>;
  }) {
  const { theme } = rest;
  const { width, top, bottom, pad, name, said } = groundOf(rest, NAME, rest.narrow ? 0 : SAID);
  const row = Math.min(rest.bare ? 74 : 110, (bottom - top - 40) / Math.max(found.tests.length, 1));
  const end = top + row * found.tests.length;
  const size = Math.max(12, Math.min(25, row * 0.4));
  const { floor_fps: floor, display_hz: display } = found.reader;
  const rates = found.tests.flatMap((one) => [one.a_high ?? one.a, one.b_high ?? one.b]);
  const most = Math.max(floor * 1.2, ...rates.filter((rate) => rate != null));
  // A display far beyond every rate is said, not drawn: the axis is for the rates.
  const shows = found.figure === "average_fps" && display <= most;
  const x = scaleLinear([0, most], [pad + name, width - pad - said]).nice(6);
  const sans = { fontFamily: theme.sans, fontSize: size, ...CONDENSED };
  const mark = (lane: string, rate: number | null, low: number | null, high: number | null, y: number) => {
    if (rate == null) return null;
    const place = lanes.get(lane)?.position ?? 0;
    return (
      <g transform={`translate(0 ${y})`}>
        {low != null && high != null && (
          <Bracket low={x(low)} high={x(high)} half={row * 0.13} stroke={theme.ink} />
        )}
        <path
          d={laneShape(place, Math.min(11, row * 0.17))}
          transform={`translate(${x(rate)} 0)`}
          fill={theme.lane(place)}
        />
      </g>
    );
  };
  return (
    <Frame {...rest} height={end + 40}>
      <rect x={x(0)} y={top} width={x(floor) - x(0)} height={end - top} fill={theme.band} />
      <Axis x={x} top={top} end={end} theme={theme} label="fps →" />
      <path d={`M${x(floor)} ${top - 8}V${end}`} stroke={theme.ink} strokeWidth={3} />
      <text x={x(floor)} y={top - 14} {...sans} fontSize={20} textAnchor="end" fill={theme.soft}>
        playable from {figure(floor)} →
      </text>
      {shows && (
        <>
          <path
            d={`M${x(display)} ${top - 8}V${end}`}
            stroke={theme.ink}
            strokeWidth={2}
            strokeDasharray="9 7"
          />
          <text x={x(display) + 6} y={top - 14} {...sans} fontSize={20} fill={theme.soft}>
            {figure(display)} Hz, no more is shown
          </text>
        </>
      )}
      {found.tests.map((one, i) => (
        <g key={one.test} transform={`translate(0 ${top + i * row})`}>
          <path d={`M${pad} 0H${width - pad}`} stroke={theme.rule} strokeWidth={1.4} />
          <WholeText
            x={pad}
            y={row / 2 + size * 0.34}
            {...sans}
            fontSize={size}
            width={name - 24}
            fontWeight={600}
            fill={theme.ink}
          >
            {tests.get(one.test) ?? ""}
          </WholeText>
          {mark(found.a, one.a, one.a_low, one.a_high, row * 0.3)}
          {mark(found.b, one.b, one.b_low, one.b_high, row * 0.7)}
          <WholeText
            x={rest.narrow ? pad : width - pad - said + 30}
            y={row / 2 + size * (rest.narrow ? 1.25 : 0.34)}
            {...sans}
            fontSize={size}
            width={rest.narrow ? width - 2 * pad : said - 30}
            lines={rest.narrow ? 1 : 2}
            fontWeight={["crosses", "noticed"].includes(one.matters) ? 700 : 400}
            fill={["crosses", "noticed"].includes(one.matters) ? theme.ink : theme.soft}
          >
            {one.words}
          </WholeText>
        </g>
      ))}
      <path d={`M${pad} ${end}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
    </Frame>
  );
}
