import { CONDENSED, type Drawn, GROUND } from "./kinds/Frame";
import { fitted } from "./margins";

/** What a slide says: lines of text, or a table with its heads first. */
export type SlideOf =
  | { texts: readonly SlideText[] }
  | { caption: string; table: readonly (readonly string[])[]; foot: string };

export interface SlideText {
  words: string;
  strong?: boolean;
}

const SIZES = [64, 54, 46, 40, 34, 29, 25, 22, 20];
/** On one slide stand so many rows of a table, and so many lines of text in the smallest letters. */
const MOST_ROWS = 18;
const MOST_LINES = 30;
const WIDE = GROUND.width - 2 * GROUND.pad;
/** Between the question and the foot. */
const TOP = 130;
const TALL = GROUND.height - TOP - GROUND.pad;
const LEADING = 1.28;

/** A block without a picture as a slide: as large as all of it can stand, nothing cut off. */
export function SlidePicture({
  theme,
  style,
  question,
  of,
}: Pick<Drawn, "theme" | "style"> & { question: string; of: SlideOf }) {
  return (
    <svg
      xmlns="http://www.w3.org/2000/svg"
      width={GROUND.width}
      height={GROUND.height}
      viewBox={`0 0 ${GROUND.width} ${GROUND.height}`}
      role="img"
    >
      <title>{question}</title>
      {style && <style>{style}</style>}
      <rect width="100%" height="100%" fill={theme.paper} />
      <text
        x={GROUND.pad}
        y={70}
        fontFamily={theme.sans}
        {...CONDENSED}
        fontSize={27}
        fontWeight={600}
        fill={theme.soft}
      >
        {question}
      </text>
      {"table" in of ? <Rows {...of} theme={theme} /> : <Texts texts={of.texts} theme={theme} />}
    </svg>
  );
}

function Texts({ texts, theme }: { texts: readonly SlideText[] } & Pick<Drawn, "theme">) {
  return laid(texts).map(({ words, strong, size, y }) => (
    <text
      key={y}
      x={GROUND.pad}
      y={TOP + y + size}
      fontFamily={theme.sans}
      {...CONDENSED}
      fontSize={size}
      fontWeight={strong ? 750 : 500}
      fill={strong ? theme.ink : theme.soft}
    >
      {words}
    </text>
  ));
}

interface Laid extends SlideText {
  size: number;
  y: number;
}

/** What stands beside something stronger is smaller. */
const BESIDE = 0.68;

/** Texts on lines, in the largest letters in which all of them stand beneath each other. */
export function laid(texts: readonly SlideText[]): Laid[] {
  let found: Laid[] = [];
  const some = texts.some((one) => one.strong);
  for (const most of SIZES) {
    let y = 0;
    found = texts.flatMap(({ words, strong = false }) => {
      const size = some && !strong ? most * BESIDE : most;
      const own = fitted(words, WIDE, [size], Number.POSITIVE_INFINITY).lines.map((line, i) => ({
        words: line,
        strong,
        size,
        y: y + i * size * LEADING,
      }));
      y += own.length * size * LEADING + size * 0.4;
      return own;
    });
    if (y <= TALL) break;
  }
  return found;
}

function Rows({
  caption,
  table,
  foot,
  theme,
}: {
  caption: string;
  table: readonly (readonly string[])[];
  foot: string;
} & Pick<Drawn, "theme">) {
  const columns = Math.max(1, ...table.map((row) => row.length));
  const longest = Array.from({ length: columns }, (_, at) =>
    Math.max(4, ...table.map((row) => row[at]?.length ?? 0)),
  );
  const letters = longest.reduce((sum, one) => sum + one + 3, 0);
  const said = fitted(caption, WIDE, SIZES.slice(2), 2);
  const top = TOP + said.lines.length * said.size * LEADING + 16;
  const row = Math.min(76, (GROUND.height - GROUND.pad - 30 - top) / Math.max(1, table.length));
  const size = Math.max(8, Math.min(34, row * 0.5, WIDE / (letters * 0.6)));
  const left = longest.map(
    (_, at) => GROUND.pad + (WIDE * longest.slice(0, at).reduce((sum, one) => sum + one + 3, 0)) / letters,
  );
  const sans = { fontFamily: theme.sans, ...CONDENSED };
  const rows = table.map((cells, at) => (
    // biome-ignore lint/suspicious/noArrayIndexKey: rows of a table have no other name here, and two may be equal
    <g key={at} transform={`translate(0 ${top + at * row})`}>
      {cells.map((words, i) => (
        <text
          // biome-ignore lint/suspicious/noArrayIndexKey: nor have its cells
          key={i}
          x={left[i]}
          y={row * 0.64}
          fontFamily={at && i ? theme.mono : theme.sans}
          fontSize={at && i ? size * 0.92 : size}
          {...(at && i ? {} : CONDENSED)}
          fontWeight={at === 0 ? 600 : i === 0 ? 700 : 500}
          fill={at === 0 ? theme.mute : theme.ink}
        >
          {words}
        </text>
      ))}
      <path
        d={`M${GROUND.pad} ${row}H${GROUND.width - GROUND.pad}`}
        stroke={at === 0 ? theme.ink : theme.rule}
        strokeWidth={at === 0 ? 2.4 : 1.4}
      />
    </g>
  ));
  return (
    <>
      {said.lines.map((line, at) => (
        <text
          key={line}
          x={GROUND.pad}
          y={TOP + said.size + at * said.size * LEADING - 8}
          {...sans}
          fontSize={said.size}
          fontWeight={750}
          fill={theme.ink}
        >
          {line}
        </text>
      ))}
      {rows}
      <text x={GROUND.pad} y={GROUND.height - 34} {...sans} fontSize={21} fill={theme.mute}>
        {foot}
      </text>
    </>
  );
}

/** What a block says, on as many slides as it needs to be read. */
export function slidesFor(of: SlideOf): SlideOf[] {
  if ("table" in of) {
    const [head = [], ...rows] = of.table;
    const parts = inParts(rows, () => 1, MOST_ROWS);
    const part = (at: number) => (parts.length > 1 ? `Part ${at + 1} of ${parts.length}.` : "");
    return parts.map((own, at) => ({
      ...of,
      table: [head, ...own],
      foot: [of.foot, part(at)].filter(Boolean).join(" "),
    }));
  }
  const smallest = SIZES.at(-1) ?? 20;
  const lines = ({ words }: SlideText) =>
    fitted(words, WIDE, [smallest], Number.POSITIVE_INFINITY).lines.length + 0.4;
  return inParts(of.texts, lines, MOST_LINES).map((texts) => ({ texts }));
}

/** Things in their order, in parts that take no more room than there is; at least one part. */
function inParts<T>(all: readonly T[], room: (one: T) => number, most: number): T[][] {
  const parts: T[][] = [[]];
  let taken = 0;
  for (const one of all) {
    taken += room(one);
    if (taken > most && parts.at(-1)?.length) {
      parts.push([]);
      taken = room(one);
    }
    parts.at(-1)?.push(one);
  }
  return parts;
}

/** What a block says, read off the page as it stands there. */
export function slideOf(block: HTMLElement): SlideOf {
  const table = block.querySelector("table");
  if (table)
    return {
      caption: wordsOf(block.querySelector("figcaption") ?? table.caption),
      table: [...table.rows].map((row) => [...row.cells].map((cell) => wordsOf(cell))),
      foot: wordsOf(block.querySelector(".basis")),
    };
  const told = [...block.querySelectorAll<HTMLElement>("h2, h3, p, li, dt, dd, blockquote")].filter(
    (one) => !one.parentElement?.closest("p, li, dd, blockquote"),
  );
  return {
    texts: told
      .map((one) => ({
        words: wordsOf(one),
        strong: /^(H2|H3|DT)$/.test(one.tagName) || one.matches(".claim > p:first-child"),
      }))
      .filter((one) => one.words !== ""),
  };
}

const wordsOf = (element: Element | null) => (element?.textContent ?? "").replace(/\s+/g, " ").trim();
