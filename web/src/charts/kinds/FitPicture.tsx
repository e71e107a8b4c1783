import type { ReactElement } from "react";
import type { Matrix } from "../../api/tuning";
import { together } from "../../model/sentences";
import { fitted } from "../margins";
import { disc, type Theme } from "../marks";
import { CONDENSED, type Drawn, Frame, groundOf } from "./Frame";

/** How a place stands, as a sign that needs no colour: full where it works, broken where it does not. */
export const SIGNS: Record<string, { words: string; draw: (colour: string) => ReactElement }> = {
  works: { words: "works", draw: (colour) => <path d={disc(9)} fill={colour} /> },
  limited: {
    words: "works with limits",
    draw: (colour) => (
      <>
        <path d={disc(8.5)} fill="none" stroke={colour} strokeWidth={2.5} />
        <path d="M0 -8.5A8.5 8.5 0 0 0 0 8.5Z" fill={colour} />
      </>
    ),
  },
  no_picture: {
    words: "no picture",
    draw: (colour) => <path d="M-9 -7H9V7H-9ZM-9 7L9 -7" fill="none" stroke={colour} strokeWidth={2.5} />,
  },
  not_detected: {
    words: "not detected",
    draw: (colour) => (
      <path d="M-10 0H-3M3 0H10M-3 -6V6M3 -6V6" fill="none" stroke={colour} strokeWidth={2.5} />
    ),
  },
  crashes: {
    words: "crashes",
    draw: (colour) => <path d="M-8 -8L8 8M-8 8L8 -8" fill="none" stroke={colour} strokeWidth={3.5} />,
  },
  not_tried: { words: "not tried", draw: (colour) => <path d="M-5 0H5" stroke={colour} strokeWidth={2.5} /> },
};

/** A matrix as a picture: a block of rows and columns for each thing between. */
export function FitPicture({ matrix, ...rest }: Drawn & { matrix: Matrix }) {
  const { theme } = rest;
  const { width, top, bottom, pad } = groundOf(rest);
  const between = matrix.via.length ? matrix.via : [null];
  const lines = between.length * (matrix.rows.length + 1) + (matrix.via.length ? between.length : 0);
  const tall = Math.min(64, (bottom - top) / Math.max(1, lines));
  const name = rest.narrow ? 230 : 420;
  const wide = (width - 2 * pad - name) / Math.max(1, matrix.columns.length);
  const size = Math.max(12, Math.min(24, tall * 0.46));
  const words = { fontFamily: theme.sans, fontSize: size, fill: theme.ink, ...CONDENSED };
  const at = new Map(matrix.places.map((one) => [`${one.row} ${one.via} ${one.column}`, one]));
  let y = top;
  return (
    <Frame
      {...rest}
      question={matrix.title}
      sentence={together(matrix.sentences)}
      foot="as the last attempt at each ended"
      {...(rest.bare && { height: top + lines * tall })}
    >
      {between.map((via) => {
        const begin = y + (via ? tall : 0);
        y = begin + tall * (matrix.rows.length + 1);
        return (
          <g key={via?.id ?? 0}>
            {via && (
              <text x={pad} y={begin - tall * 0.35} {...words} fontWeight={700}>
                {matrix.via_are}: {via.name}
              </text>
            )}
            {matrix.columns.map((column, i) => (
              <g
                key={column.id}
                transform={`translate(${pad + name + i * wide} ${begin + tall * 0.55})`}
                fontWeight={600}
              >
                <Words of={column.name} room={wide - 10} size={size} theme={theme} colour={theme.ink} />
              </g>
            ))}
            {matrix.rows.map((row, r) => {
              const line = begin + tall * (r + 1);
              return (
                <g key={row.id}>
                  <path d={`M${pad} ${line}H${width - pad}`} stroke={theme.rule} strokeWidth={1.5} />
                  <g transform={`translate(${pad} ${line + tall / 2})`}>
                    <Words of={row.name} room={name - 20} size={size} theme={theme} colour={theme.ink} />
                  </g>
                  {matrix.columns.map((column, i) => {
                    const place = at.get(`${row.id} ${via?.id ?? null} ${column.id}`);
                    const sign = place && SIGNS[place.state];
                    return (
                      sign && (
                        <g
                          key={column.id}
                          transform={`translate(${pad + name + i * wide + 14} ${line + tall / 2})`}
                        >
                          <g transform={`scale(${tall / 44})`}>{sign.draw(theme.ink)}</g>
                          <Words
                            of={sign.words}
                            room={wide - tall * 0.4 - 24}
                            at={tall * 0.4}
                            size={size}
                            theme={theme}
                          />
                        </g>
                      )
                    );
                  })}
                </g>
              );
            })}
          </g>
        );
      })}
    </Frame>
  );
}

/** A few words in one line or two, around the middle of their height. */
function Words({
  of,
  room,
  at = 0,
  size,
  theme,
  colour = theme.soft,
}: {
  of: string;
  room: number;
  at?: number;
  size: number;
  theme: Theme;
  colour?: string;
}) {
  const { lines, size: fits } = fitted(of, room, [size, size * 0.85, size * 0.7, size * 0.55], 2);
  return lines.map((one, line) => (
    <text
      key={one}
      x={at}
      y={fits * 0.35 + (line - (lines.length - 1) / 2) * fits * 1.05}
      fontFamily={theme.sans}
      fontSize={fits}
      fill={colour}
      {...CONDENSED}
    >
      {one}
    </text>
  ));
}
