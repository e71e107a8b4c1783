import { scaleLinear } from "d3-scale";
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { fps } from "../format";
import { testWords } from "./margins";
import { laneShape, SCREEN, type Theme } from "./marks";
import { useWidth } from "./useWidth";

const ROW = 17;
const LABEL = 190;

interface Props {
  findings: Schemas["FindingsOut"];
  lanes: Schemas["LaneOut"][];
  /** A rate that is wanted, in fps: a line through all tests. */
  target?: number;
}

/** Levels on a rate axis: each lane a span from its 1% low to its average, lanes of a test beneath each other. */
export function LevelChart(props: Props) {
  const [ref, width] = useWidth<HTMLDivElement>(1000);
  return (
    <div ref={ref} className="overflow-hidden">
      <Levels {...props} width={width} link />
    </div>
  );
}

/** The chart itself, in a theme; names are links where it stands on a page. */
export function Levels({
  findings,
  lanes,
  target,
  width,
  theme = SCREEN,
  link = false,
  style = "",
}: Props & { width: number; theme?: Theme; link?: boolean; style?: string }) {
  const byCell = new Map(findings.levels.map((level) => [`${level.test_id} ${level.lane_id}`, level]));
  const measured = new Set(findings.levels.filter((l) => l.low_1 != null).map((l) => l.test_id));
  const tests = findings.tests.filter((test) => measured.has(test.test_id));
  const rates = findings.levels
    .flatMap((level) => [level.average, level.low_1])
    .filter((v): v is number => v != null);
  if (!rates.length) return null;
  const x = scaleLinear([0, Math.max(...rates, target ?? 0)], [LABEL, width - 56]).nice(6);
  const block = ROW * lanes.length + 14;
  const height = tests.length * block;
  return (
    <svg
      xmlns="http://www.w3.org/2000/svg"
      width={width}
      height={height + 34}
      viewBox={`0 0 ${width} ${height + 34}`}
      fontFamily={theme.sans}
    >
      <title>Levels of all lanes in every test, in fps</title>
      {style && <style>{style}</style>}
      {style && <rect width="100%" height="100%" fill={theme.paper} />}
      {x.ticks(8).map((tick) => (
        <g key={tick}>
          <path d={`M${x(tick)} 0V${height}`} stroke={theme.grid} />
          <text
            x={x(tick)}
            y={height + 16}
            fontSize={11}
            textAnchor="middle"
            fill={theme.mute}
            fontFamily={theme.mono}
          >
            {tick}
          </text>
        </g>
      ))}
      {target !== undefined && (
        <path d={`M${x(target)} 0V${height}`} stroke={theme.ink} strokeWidth={1.6} strokeDasharray="6 5" />
      )}
      <text x={x.range()[1]} y={height + 31} fontSize={12} textAnchor="end" fill={theme.soft}>
        fps: from the 1% low to the average, the median a tick between
      </text>
      {tests.map((test, index) => (
        <g key={test.test_id} transform={`translate(0 ${index * block})`}>
          <path d={`M0 0H${width}`} stroke={theme.rule} />
          <Named to={link ? `/studies/${findings.study_id}/passes/${test.test_id}` : null}>
            <text y={block / 2 + 5} fontSize={14} fontWeight={600} fill={theme.ink}>
              {testWords(test, findings.tests)}
            </text>
          </Named>
          {lanes.map((lane, at) => {
            const level = byCell.get(`${test.test_id} ${lane.id}`);
            if (level?.low_1 == null) return null;
            const y = 7 + ROW * (at + 0.5);
            const end = level.average ?? level.low_1;
            const colour = theme.lane(lane.position);
            return (
              <g key={lane.id}>
                <path
                  d={`M${x(level.low_1)} ${y}H${x(end)}`}
                  stroke={colour}
                  strokeWidth={5}
                  opacity={0.55}
                />
                <path d={`M${x(level.low_1)} ${y - 6}V${y + 6}`} stroke={colour} strokeWidth={2} />
                {level.average != null && (
                  <path
                    d={laneShape(lane.position, 5.5)}
                    transform={`translate(${x(end)} ${y})`}
                    fill={colour}
                  />
                )}
                {level.median != null && (
                  <path d={`M${x(level.median)} ${y - 7}V${y + 7}`} stroke={theme.ink} strokeWidth={2} />
                )}
                <text x={x(end) + 10} y={y + 4} fontSize={11.5} fill={theme.ink} fontFamily={theme.mono}>
                  {level.average == null ? "capped" : fps(level.average)}
                </text>
                <text
                  x={x(level.low_1) - 5}
                  y={y + 4}
                  fontSize={11}
                  textAnchor="end"
                  fill={theme.mute}
                  fontFamily={theme.mono}
                >
                  {fps(level.low_1)}
                </text>
              </g>
            );
          })}
        </g>
      ))}
    </svg>
  );
}

/** A name that leads somewhere on a page, and is only a name in a picture. */
function Named({ to, children }: { to: string | null; children: ReactNode }) {
  return to ? (
    <Link to={to} className="plain hover:underline">
      {children}
    </Link>
  ) : (
    children
  );
}
