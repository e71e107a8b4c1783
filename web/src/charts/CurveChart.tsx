import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import { SCREEN, type Theme } from "./marks";
import { useWidth } from "./useWidth";

export interface Curve {
  key: number;
  label: string;
  lane: number;
  dashed: boolean;
  /** Frame times in ms at q = 50 to 99.9 in steps of 0.1. */
  ms: number[];
}

const HEIGHT = 290;
const PAD = { left: 52, right: 110, top: 12, bottom: 44 };
const TICKS = [50, 25, 10, 5, 2, 1, 0.5, 0.2, 0.1];

/** Percentiles of frame time; the axis is the distance from 100% on a log scale, which gives the tail its room. */
export function CurveChart(props: { curves: Curve[]; budgetMs: number; what?: string; name?: string }) {
  const [ref, width] = useWidth<HTMLDivElement>(600);
  return (
    <div ref={ref} className="overflow-hidden">
      <Curves {...props} width={width} />
    </div>
  );
}

/** The chart itself, in a theme. */
export function Curves({
  curves,
  budgetMs,
  width,
  what = "frame time, ms",
  name = "Percentiles of frame time of each pass",
  theme = SCREEN,
}: {
  curves: Curve[];
  budgetMs: number;
  width: number;
  what?: string;
  name?: string;
  theme?: Theme;
}) {
  const all = curves.flatMap((curve) => curve.ms);
  if (!all.length) return null;
  const x = scaleLog([50, 0.1], [PAD.left, width - PAD.right]);
  const y = scaleLinear([Math.min(...all) * 0.95, Math.max(...all)], [HEIGHT - PAD.bottom, PAD.top]).nice(5);
  const [bottom = 0, top = 0] = y.range();
  const path = line<number>(
    (_, i) => x(100 - (50 + i / 10)),
    (ms) => y(ms),
  );
  const showBudget = budgetMs >= (y.domain()[0] ?? 0) && budgetMs <= (y.domain()[1] ?? 0);
  // Where labels would lie on each other, the later one gives way.
  const ends = curves
    .map((curve) => ({ curve, at: y(curve.ms.at(-1) ?? 0) }))
    .sort((a, b) => a.at - b.at)
    .reduce<{ curve: Curve; at: number }[]>((kept, one) => {
      const last = kept.at(-1);
      kept.push(last && one.at - last.at < 13 ? { ...one, at: last.at + 13 } : one);
      return kept;
    }, []);
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label={name}>
      {y.ticks(5).map((tick) => (
        <g key={tick}>
          <path d={`M${PAD.left} ${y(tick)}H${width - PAD.right}`} stroke={theme.grid} />
          <text
            x={PAD.left - 8}
            y={y(tick) + 4}
            fontSize={11}
            textAnchor="end"
            fill={theme.mute}
            fontFamily={theme.mono}
          >
            {tick}
          </text>
        </g>
      ))}
      {TICKS.map((tick) => (
        <g key={tick}>
          <path d={`M${x(tick)} ${top}V${bottom}`} stroke={theme.grid} />
          <text
            x={x(tick)}
            y={bottom + 15}
            fontSize={11}
            textAnchor="middle"
            fill={theme.mute}
            fontFamily={theme.mono}
          >
            {100 - tick}
          </text>
        </g>
      ))}
      <text x={width - PAD.right} y={bottom + 33} fontSize={12} textAnchor="end" fill={theme.soft}>
        share of frames at or under this time, %
      </text>
      <text transform={`translate(13 ${top}) rotate(-90)`} fontSize={12} textAnchor="end" fill={theme.soft}>
        {what}
      </text>
      {showBudget && (
        <path
          d={`M${PAD.left} ${y(budgetMs)}H${width - PAD.right}`}
          stroke={theme.ink}
          strokeDasharray="7 4"
        />
      )}
      {curves.map((curve) => (
        <path
          key={curve.key}
          d={path(curve.ms) ?? ""}
          fill="none"
          stroke={theme.lane(curve.lane)}
          strokeWidth={1.7}
          strokeDasharray={curve.dashed ? "2 4" : undefined}
        />
      ))}
      {ends.map(({ curve, at }) => (
        <text
          key={curve.key}
          x={width - PAD.right + 6}
          y={at + 4}
          fontSize={11.5}
          fill={theme.lane(curve.lane)}
        >
          {curve.label}
        </text>
      ))}
    </svg>
  );
}
