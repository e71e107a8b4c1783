import type { ScaleLinear } from "d3-scale";
import type { ReactNode, SVGProps } from "react";
import type { Schemas } from "../../api/client";
import { fitted } from "../margins";
import type { Theme } from "../marks";

/** Every picture of an answer is drawn on this ground: on a page its middle, as a file all of it. */
export const GROUND = { width: 1920, height: 1080, top: 220, bottom: 1000, pad: 64 };
/** How wide the ground is on a phone: what is drawn beside the chart there stands under its name. */
export const NARROW = 860;
export const CONDENSED = { style: { fontStretch: "85%" } };

export interface Drawn {
  theme: Theme;
  /** What makes a file carry its fonts; nothing on a page. */
  style?: string;
  /** On a page only the chart itself is drawn: the answer stands above it. */
  bare?: boolean;
  /** On a phone the ground is narrower, so that its letters can be read. */
  narrow?: boolean;
}

/** The ground of a picture where it is drawn, with the room for names and for words beside the chart. */
export function groundOf(how: Drawn, name = 0, said = 0) {
  return how.narrow
    ? { ...GROUND, width: NARROW, name: Math.min(name, 290), said: said ? 130 : 0 }
    : { ...GROUND, name, said };
}

export interface Told {
  question: string;
  sentence: Schemas["SentenceOut"];
  /** What it stands on and how it is read, at the foot. */
  foot: string;
}

/** The ground of a picture: question and answer above, what it stands on beneath. `height` is where the chart ends. */
export function Frame({
  theme,
  style,
  bare,
  narrow,
  question,
  sentence,
  foot,
  height = GROUND.bottom,
  children,
}: Drawn & Told & { height?: number; children: ReactNode }) {
  const wide = GROUND.width - 2 * GROUND.pad;
  // What a picture is copied with stands in it, whole: the claim makes room for what goes with it.
  const said = [sentence.but, sentence.otherwise, sentence.lacks].filter(Boolean).join(" ");
  const claimed = `${sentence.before}${sentence.answer}${sentence.after}`;
  const claim = said
    ? fitted(claimed, wide, [46, 40, 34, 28, 23], 1)
    : fitted(claimed, wide, [46, 36, 30], 2);
  const beside = fitted(said, wide, [22, 20, 17, 14], 3);
  const under = fitted([sentence.basis, foot].filter(Boolean).join(" · "), wide, [21, 18, 16, 14, 12], 2);
  const top = bare ? GROUND.top - 30 : 0;
  const side = bare ? GROUND.pad - 4 : 0;
  const tall = bare ? height - top + 16 : GROUND.height;
  const text = { fontFamily: theme.sans, ...CONDENSED };
  return (
    <svg
      xmlns="http://www.w3.org/2000/svg"
      {...(bare ? { width: "100%" } : { width: GROUND.width, height: GROUND.height })}
      viewBox={`${side} ${top} ${(narrow ? NARROW : GROUND.width) - 2 * side} ${tall}`}
      role="img"
    >
      <title>{sentence.text}</title>
      {style && <style>{style}</style>}
      {!bare && (
        <>
          <rect width="100%" height="100%" fill={theme.paper} />
          <text x={GROUND.pad} y={62} {...text} fontSize={27} fontWeight={600} fill={theme.soft}>
            {question}
          </text>
          <Lines {...claim} y={116} style={{ ...text, fontWeight: 750, fill: theme.ink }} />
          {said && (
            <Lines
              {...beside}
              y={116 + claim.lines.length * claim.size * 1.08 - 8}
              style={{ ...text, fontWeight: 600, fill: theme.soft }}
            />
          )}
          <Lines
            {...under}
            y={GROUND.height - 34 - (under.lines.length - 1) * under.size * 1.08}
            style={{ ...text, fill: theme.mute }}
          />
        </>
      )}
      {children}
    </svg>
  );
}

/** Lines of a text from a place down. */
function Lines({
  lines,
  size,
  y,
  style: { style, ...how },
}: {
  lines: string[];
  size: number;
  y: number;
  style: SVGProps<SVGTextElement>;
}) {
  return lines.map((line, i) => (
    <text key={line} x={GROUND.pad} y={y + i * size * 1.08} fontSize={size} style={style} {...how}>
      {line}
    </text>
  ));
}

/** The axis of pictures with a row a track: lines through all rows, values beneath, what it is at its end. */
export function Axis({
  x,
  top,
  end,
  theme,
  label,
  words = String,
}: {
  x: ScaleLinear<number, number>;
  top: number;
  end: number;
  theme: Theme;
  label: string;
  words?: (value: number) => string;
}) {
  const small = { fontSize: 20, fill: theme.mute };
  return (
    <>
      {x.ticks(6).map((tick) => (
        <g key={tick}>
          <path d={`M${x(tick)} ${top}V${end}`} stroke={theme.grid} strokeWidth={1.5} />
          <text x={x(tick)} y={end + 30} fontFamily={theme.mono} {...small} textAnchor="middle">
            {words(tick)}
          </text>
        </g>
      ))}
      <text x={x.range()[1]} y={top - 10} fontFamily={theme.sans} {...small} textAnchor="end">
        {label}
      </text>
    </>
  );
}

/** An interval as a bracket along an axis, `half` high to each side. */
export function Bracket({
  low,
  high,
  half,
  stroke,
  upright = false,
}: {
  low: number;
  high: number;
  half: number;
  stroke: string;
  upright?: boolean;
}) {
  const path = upright
    ? `M${-half} ${low}H${half}M0 ${low}V${high}M${-half} ${high}H${half}`
    : `M${low} ${-half}V${half}M${low} 0H${high}M${high} ${-half}V${half}`;
  return <path d={path} fill="none" stroke={stroke} strokeWidth={2.4} />;
}
