import { laneShape } from "../marks";
import { WholeText } from "../WholeText";
import { CONDENSED, type Drawn, Frame, groundOf, type Told } from "./Frame";

export interface Held {
  by: string;
  word: string;
  sure: number;
  evidence: string;
}

export interface Column {
  key: string;
  /** The condition, said once over all of its lanes. */
  over: string;
  lane: { name: string; position: number };
}

const NAME = 380;

/** What holds the rate: a row a scene, a column a lane under each condition. Solid is the card, outlined the processor. */
export function LimitsPicture({
  rows,
  columns,
  held,
  ...rest
}: Drawn &
  Told & {
    rows: readonly { key: string; name: string }[];
    columns: readonly Column[];
    held: (row: string, column: string) => Held | undefined;
  }) {
  const { theme } = rest;
  const { width, top, bottom, pad, name } = groundOf(rest, NAME);
  const begins = top + 40;
  const row = Math.min(rest.bare ? 54 : 76, (bottom - begins) / Math.max(rows.length, 1));
  const end = begins + row * rows.length;
  const column = (width - 2 * pad - name) / Math.max(columns.length, 1);
  const size = Math.max(11, Math.min(22, row * 0.42));
  const sans = { fontFamily: theme.sans, fontSize: size, ...CONDENSED };
  const x = (at: number) => pad + name + at * column;
  return (
    <Frame {...rest} height={end}>
      {columns.map((one, at) => {
        const first = one.over !== columns[at - 1]?.over;
        const wide = columns.filter((other) => other.over === one.over).length * column;
        return (
          <g key={one.key} transform={`translate(${x(at)} ${begins})`}>
            {first && (
              <>
                <WholeText y={-42} {...sans} fontSize={20} width={wide} fontWeight={600} fill={theme.ink}>
                  {one.over}
                </WholeText>
                <path d={`M0 -34V${end - begins}`} stroke={theme.mute} strokeWidth={1.4} />
              </>
            )}
            <path
              d={laneShape(one.lane.position, Math.min(8, column * 0.34))}
              transform={`translate(${Math.min(16, column / 2)} -16)`}
              fill={theme.lane(one.lane.position)}
            />
            {column > 90 && (
              <WholeText x={32} y={-10} {...sans} fontSize={18} width={column - 40} fill={theme.soft}>
                {one.lane.name}
              </WholeText>
            )}
          </g>
        );
      })}
      {rows.map((one, i) => (
        <g key={one.key} transform={`translate(0 ${begins + i * row})`}>
          <path d={`M${pad} 0H${width - pad}`} stroke={theme.rule} strokeWidth={1.4} />
          <WholeText
            x={pad}
            y={row / 2 + size * 0.34}
            {...sans}
            fontSize={size}
            width={name - 20}
            fontWeight={600}
            fill={theme.ink}
          >
            {one.name}
          </WholeText>
          {columns.map((where, at) => {
            const found = held(one.key, where.key);
            return found ? (
              <g key={where.key} transform={`translate(${x(at) + Math.min(8, column * 0.2)} ${row * 0.14})`}>
                <Cell
                  found={found}
                  width={column - Math.min(14, column * 0.35)}
                  height={row * 0.72}
                  size={Math.min(size, 19)}
                  theme={theme}
                />
              </g>
            ) : null;
          })}
        </g>
      ))}
      <path d={`M${pad} ${end}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
    </Frame>
  );
}

/** Solid for the card, outlined for the processor, two lines for a cap, dashed for what is neither or not shown. */
function Cell({
  found,
  width,
  height,
  size,
  theme,
}: {
  found: Held;
  width: number;
  height: number;
  size: number;
  theme: Drawn["theme"];
}) {
  const card = found.by === "card";
  const dashed = found.by === "unclear" || found.by === "link_or_memory";
  // How sure it is shows in how far the mark reaches.
  const reach = dashed ? width : Math.max(0.3, found.sure) * width;
  const text = found.evidence ? `${found.word}, ${found.evidence}` : found.word;
  return (
    <>
      <title>{`${found.word}${found.sure ? `, ${Math.round(found.sure * 100)}% sure` : ""}${found.evidence ? `, from ${found.evidence}` : ""}`}</title>
      <rect
        width={reach}
        height={height}
        fill={card ? theme.rule : "none"}
        stroke={dashed ? theme.mute : theme.ink}
        strokeWidth={card ? 0 : 1.6}
        strokeDasharray={dashed ? "3 6" : undefined}
      />
      {found.by === "cap" && (
        <path d={`M0 5H${reach}M0 ${height - 5}H${reach}`} stroke={theme.ink} strokeWidth={1.6} />
      )}
      {width > 56 && (
        <WholeText
          x={8}
          y={height / 2 + size * 0.35}
          fontFamily={theme.sans}
          fontSize={size}
          width={width - 12}
          style={{ fontStretch: "85%" }}
          fill={dashed ? theme.mute : theme.ink}
        >
          {width > 190 ? text : found.word}
        </WholeText>
      )}
    </>
  );
}
