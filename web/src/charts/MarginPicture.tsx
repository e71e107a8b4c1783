import type { Schemas } from "../api/client";
import { count, percent, signedPercent } from "../format";
import { besideText } from "../model/sentences";
import { MarginTrack } from "./MarginTrack";
import { fitted, marginScale, shortVerdict, testWords, tickWords, wrap } from "./margins";
import { disc, lozenge, type Theme } from "./marks";
import { WholeText } from "./WholeText";

type Findings = Schemas["FindingsOut"];
type Margin = Schemas["MarginOut"];

export const PICTURE = { width: 1920, height: 1080 };
/** Tests on one picture: more would be too small to read on a screen. */
export const ROWS_A_PICTURE = 24;
const PAD = 64;

export const picturePages = (findings: Findings) =>
  Math.max(1, Math.ceil(findings.tests.length / ROWS_A_PICTURE));
const LABELS = 340;
const NUMBERS = 500;

/** The whole margin chart as one picture: the answer, a track a test, what it stands on. `style` embeds the fonts. */
export function MarginPicture({
  findings,
  theme,
  style = "",
  background = true,
  page = 0,
}: {
  findings: Findings;
  theme: Theme;
  style?: string;
  background?: boolean;
  /** Which stretch of the tests is drawn, from 0: more than fit are drawn on several pictures. */
  page?: number;
}) {
  const { width, height } = PICTURE;
  const pages = picturePages(findings);
  const tests = findings.tests.slice(page * ROWS_A_PICTURE, (page + 1) * ROWS_A_PICTURE);
  const leading = findings.method.leading === "average_fps" ? findings.average : findings.low_1;
  const second = leading === findings.average ? findings.low_1 : findings.average;
  const { before, answer, after, basis, but, otherwise, lacks } = leading.sentence;
  const lines = wrap(`${before}${answer}${after}`, 88);
  const rest = [basis, but, otherwise, lacks, besideText(second.sentence, leading.sentence)];
  const told = fitted(rest.filter(Boolean).join(" · "), width - 2 * PAD, [25, 21, 18, 15], 2);
  const under = 112 + lines.length * 50 + (told.lines.length - 1) * told.size * 1.1;
  const group = findings.groups.find((one) => one.key === findings.group);
  const title = [
    findings.question,
    findings.groups.length > 1 && group && group.words,
    pages > 1 && `picture ${page + 1} of ${pages}`,
  ]
    .filter(Boolean)
    .join(" · ");
  const top = under + 56;
  const bottom = height - 128;
  const row = Math.min(74, (bottom - top) / Math.max(tests.length, 1));
  const left = PAD + LABELS;
  const plot = width - 2 * PAD - LABELS - NUMBERS - 30;
  const right = left + plot + 30;
  const scale = marginScale(findings, plot);
  const end = top + row * tests.length;
  const heading = { fontFamily: theme.sans, fontSize: 20, fontWeight: 600, fill: theme.soft, ...CONDENSED };
  return (
    <svg xmlns="http://www.w3.org/2000/svg" width={width} height={height} viewBox={`0 0 ${width} ${height}`}>
      <title>{leading.sentence.text}</title>
      {style && <style>{style}</style>}
      {background && <rect width="100%" height="100%" fill={theme.paper} />}
      <text x={PAD} y={62} {...heading} fontSize={27}>
        {title}
      </text>
      {lines.map((line, i) => (
        <text
          key={line}
          x={PAD}
          y={114 + i * 50}
          {...CONDENSED}
          fontFamily={theme.sans}
          fontSize={46}
          fontWeight={750}
          fill={theme.ink}
        >
          {line}
        </text>
      ))}
      {told.lines.map((line, i) => (
        <text
          key={line}
          x={PAD}
          y={104 + lines.length * 50 + i * told.size * 1.1}
          {...CONDENSED}
          fontFamily={theme.sans}
          fontSize={told.size}
          fill={theme.soft}
        >
          {line}
        </text>
      ))}
      <text x={left} y={top - 14} {...heading}>
        ← behind {findings.baseline.name}
      </text>
      <text x={left + plot} y={top - 14} {...heading} textAnchor="end">
        ahead of {findings.baseline.name} →
      </text>
      <text x={right + 120} y={top - 14} {...heading} textAnchor="end">
        average fps
      </text>
      <text x={right + 250} y={top - 14} {...heading} textAnchor="end">
        1% low
      </text>
      {tests.map((test, index) => (
        <g key={test.test_id} transform={`translate(0 ${top + index * row})`}>
          <g transform={`translate(${left} 0)`}>
            <MarginTrack
              test={test}
              scale={scale}
              band={findings.method.equal_band}
              lane={findings.other.marker}
              height={row}
              theme={theme}
              cell={5}
            />
          </g>
          <path d={`M${PAD} 0H${width - PAD}`} stroke={theme.rule} strokeWidth={1.5} />
          <Row test={test} words={testWords(test, findings.tests)} row={row} right={right} theme={theme} />
        </g>
      ))}
      {scale.ticks.map((tick) => (
        <text
          key={tick}
          x={left + scale(tick)}
          y={end + 28}
          fontFamily={theme.mono}
          fontSize={19}
          textAnchor="middle"
          fill={theme.mute}
        >
          {tickWords(tick)}
        </text>
      ))}
      <path d={`M${PAD} ${end}H${width - PAD}`} stroke={theme.ink} strokeWidth={2} />
      <Foot findings={findings} theme={theme} heading={heading} />
    </svg>
  );
}

const CONDENSED = { style: { fontStretch: "85%" } };

function Row({
  test,
  words,
  row,
  right,
  theme,
}: {
  test: Schemas["TestFinding"];
  words: string;
  row: number;
  right: number;
  theme: Theme;
}) {
  const size = Math.max(13, Math.min(24, row * 0.42));
  const middle = row / 2 + size * 0.34;
  const small = Math.min(size * 0.8, row * 0.4);
  const value = (margin: Margin, x: number) => {
    const there = margin.b_over_a != null;
    return (
      <text
        x={x}
        y={middle}
        fontFamily={theme.mono}
        fontSize={size}
        fontWeight={there ? 600 : 400}
        textAnchor="end"
        fill={there ? theme.ink : theme.mute}
      >
        {margin.b_over_a == null ? "left out" : `${signedPercent(margin.b_over_a)}%`}
      </text>
    );
  };
  const said = (name: string, margin: Margin, place: number) => (
    <WholeText
      x={right + 274}
      y={row * place + small * 0.36}
      {...CONDENSED}
      fontFamily={theme.sans}
      fontSize={small}
      width={NUMBERS - 274}
      lines={1}
      fill={theme.soft}
    >
      {`${name} ${shortVerdict(margin)}`}
    </WholeText>
  );
  return (
    <>
      <WholeText
        x={PAD}
        y={middle}
        {...CONDENSED}
        fontFamily={theme.sans}
        fontSize={size}
        width={LABELS - 16}
        fontWeight={600}
        fill={theme.ink}
      >
        {words}
      </WholeText>
      {value(test.average, right + 120)}
      {value(test.low_1, right + 250)}
      {said("average", test.average, 0.31)}
      {said("1% low", test.low_1, 0.69)}
    </>
  );
}

function Foot({ findings, theme, heading }: { findings: Findings; theme: Theme; heading: object }) {
  const { width, height } = PICTURE;
  const foot = height - 34;
  const colour = theme.lane(findings.other.marker);
  const flips = [findings.average, findings.low_1].filter((suite) => suite.depends_on_method);
  const which = flips.map((suite) => (suite === findings.average ? "average fps" : "1% low")).join(" and ");
  const notes = [
    which && `The verdict depends on the method: ${which}.`,
    ...findings.caveats.map(
      (one) => `${one.accepted ? "Caveat" : "Not accepted"}: ${one.label} (${one.about}): ${one.reason}`,
    ),
  ].filter(Boolean);
  return (
    <>
      <path transform={`translate(${PAD + 9} ${foot - 6})`} d={disc(8)} fill={colour} />
      <text x={PAD + 26} y={foot} {...heading}>
        average fps
      </text>
      <path
        transform={`translate(${PAD + 163} ${foot - 6})`}
        d={lozenge(9)}
        fill={theme.paper}
        stroke={colour}
        strokeWidth={2.4}
      />
      <text x={PAD + 180} y={foot} {...heading}>
        1% low
      </text>
      {notes.length > 0 && (
        <WholeText x={PAD} y={foot - 36} {...heading} fontSize={20} width={width - 2 * PAD} lines={4}>
          {notes.join(" ")}
        </WholeText>
      )}
      <text
        x={width - PAD}
        y={foot}
        {...CONDENSED}
        fontFamily={theme.sans}
        fontSize={19}
        fill={theme.mute}
        textAnchor="end"
      >
        Margins of {findings.other.name} over {findings.baseline.name} (baseline, the finish line) · brackets:{" "}
        {findings.interval_words} · strip: within {percent(findings.method.equal_band)}% counts as even ·{" "}
        {count(findings.tests.length, "test")},{" "}
        {count(findings.accepted_passes, "accepted pass", "accepted passes")}
      </text>
    </>
  );
}
