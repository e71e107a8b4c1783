import { scaleLinear } from "d3-scale";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { fps } from "../format";
import { laneColour, laneShape } from "./marks";
import { useWidth } from "./useWidth";

const ROW = 17;
const LABEL = 190;

/** Levels on a rate axis: each lane a span from its 1% low to its average, lanes of a test beneath each other. */
export function LevelChart({
  findings,
  lanes,
}: {
  findings: Schemas["FindingsOut"];
  lanes: Schemas["LaneOut"][];
}) {
  const [ref, width] = useWidth<HTMLDivElement>(1000);
  const tests = findings.tests.filter((test) =>
    findings.levels.some((l) => l.test_id === test.test_id && l.low_1 != null),
  );
  const rates = findings.levels
    .flatMap((level) => [level.average, level.low_1])
    .filter((v): v is number => v != null);
  if (!rates.length) return null;
  const x = scaleLinear([0, Math.max(...rates)], [LABEL, width - 56]).nice(6);
  const block = ROW * lanes.length + 14;
  const height = tests.length * block;
  return (
    <div ref={ref} className="overflow-hidden">
      <svg width={width} height={height + 34}>
        <title>Levels of all lanes in every test, in fps</title>
        {x.ticks(8).map((tick) => (
          <g key={tick}>
            <path d={`M${x(tick)} 0V${height}`} stroke="var(--grid)" />
            <text
              x={x(tick)}
              y={height + 16}
              fontSize={11}
              textAnchor="middle"
              fill="var(--mute)"
              className="figure"
            >
              {tick}
            </text>
          </g>
        ))}
        <text x={x.range()[1]} y={height + 31} fontSize={12} textAnchor="end" fill="var(--soft)">
          fps: from the 1% low to the average, the median a tick between
        </text>
        {tests.map((test, index) => (
          <g key={test.test_id} transform={`translate(0 ${index * block})`}>
            <path d={`M0 0H${width}`} stroke="var(--rule)" />
            <Link
              to={`/studies/${findings.study_id}/passes/${test.test_id}`}
              className="plain hover:underline"
            >
              <text y={block / 2 + 5} fontSize={14} fontWeight={600} fill="var(--ink)">
                {test.game}
              </text>
            </Link>
            {lanes.map((lane, at) => {
              const level = findings.levels.find((l) => l.test_id === test.test_id && l.lane_id === lane.id);
              if (level?.low_1 == null) return null;
              const y = 7 + ROW * (at + 0.5);
              const end = level.average ?? level.low_1;
              const colour = laneColour(lane.position);
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
                    <path d={`M${x(level.median)} ${y - 7}V${y + 7}`} stroke="var(--ink)" strokeWidth={2} />
                  )}
                  <text x={x(end) + 10} y={y + 4} fontSize={11.5} fill="var(--ink)" className="figure">
                    {level.average == null ? "capped" : fps(level.average)}
                  </text>
                  <text
                    x={x(level.low_1) - 5}
                    y={y + 4}
                    fontSize={11}
                    textAnchor="end"
                    fill="var(--mute)"
                    className="figure"
                  >
                    {fps(level.low_1)}
                  </text>
                </g>
              );
            })}
          </g>
        ))}
      </svg>
    </div>
  );
}
