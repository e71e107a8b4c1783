/** The margin chart: scales and marks of one track, shared by the table on screen and the exported picture. */

import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { count, interval, parted, percent, signedPercent } from "../format";
import { bracket, disc, finishLine, LIGHT, laneInk, lozenge } from "./marks";

type Findings = Schemas["FindingsOut"];
type TestFinding = Schemas["TestFinding"];
type Margin = Schemas["MarginOut"];

export interface MarginScale {
  (share: number): number;
  ticks: number[];
  width: number;
}

/** A scale over all margins and intervals, with the finish line and the equal band inside, on whole ticks. */
export function marginScale(findings: Findings, width: number): MarginScale {
  const ends = [findings.method.equal_band * 1.6, -findings.method.equal_band * 1.6];
  for (const test of findings.tests) {
    for (const margin of [test.average, test.low_1]) {
      for (const end of [margin.low, margin.high, margin.b_over_a]) if (end != null) ends.push(end);
    }
  }
  const scale = scaleLinear([Math.min(...ends), Math.max(...ends)], [0, width]).nice(8);
  return Object.assign((share: number) => scale(share), { ticks: scale.ticks(8), width });
}

/** A tick in whole percent where it is whole. */
export function tickWords(share: number): string {
  return `${signedPercent(share).replace(/\.0$/, "")}%`;
}

export interface TrackMark {
  kind: "average" | "low_1";
  y: number;
  /** None where the test is left out of this figure: then an empty track is drawn. */
  x: number | null;
  bracket: string;
  shape: string;
}

/** The two marks of a test: the average above the middle of its track, the 1% low below. */
export function trackMarks(test: TestFinding, scale: MarginScale, height: number): TrackMark[] {
  const mark = (kind: TrackMark["kind"], margin: Margin, y: number): TrackMark => {
    const there = margin.left_out === null && margin.b_over_a != null;
    const hasInterval = there && margin.low != null && margin.high != null;
    const radius = Math.max(4.2, Math.min(height * 0.13, 9));
    return {
      kind,
      y,
      x: there ? scale(margin.b_over_a ?? 0) : null,
      bracket: hasInterval ? bracket(scale(margin.low ?? 0), scale(margin.high ?? 0), y, radius * 0.85) : "",
      shape: kind === "average" ? disc(radius) : lozenge(radius * 1.15),
    };
  };
  return [mark("average", test.average, height * 0.31), mark("low_1", test.low_1, height * 0.69)];
}

const escaped = (text: string) => text.replace(/[&<>"']/g, (c) => `&#${c.codePointAt(0) ?? 0};`);

/** Text of at most about `width` px at a size, cut with an ellipsis. */
function cut(text: string, width: number, size: number): string {
  const most = Math.floor(width / (size * 0.425));
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
}

/** Words on lines of at most `most` letters. */
export function wrap(text: string, most: number): string[] {
  const lines: string[] = [];
  for (const word of text.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + word.length < most) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
}

const SANS = "'Archivo Variable','Archivo',sans-serif";
const MONO = "'Spline Sans Mono Variable','Spline Sans Mono',monospace";

export const PICTURE = { width: 1920, height: 1080 };

/** The whole chart as a standalone SVG of 1920 by 1080, in the light scheme. `style` embeds the fonts. */
export function marginPicture(findings: Findings, style: string, background = true): string {
  const { width, height } = PICTURE;
  const pad = 64;
  const leading = findings.method.leading === "average_fps" ? findings.average : findings.low_1;
  const second = leading === findings.average ? findings.low_1 : findings.average;
  const out: string[] = [];
  const text = (x: number, y: number, words: string, more: string) =>
    out.push(`<text x="${x}" y="${y}" ${more}>${escaped(words)}</text>`);
  const condensed = `font-family="${SANS}" font-stretch="85%"`;

  text(pad, 62, findings.question, `${condensed} font-size="27" font-weight="600" fill="${LIGHT.soft}"`);
  const { claim, basis } = parted(leading.sentence);
  const lines = wrap(claim, 88);
  lines.forEach((line, i) => {
    text(pad, 114 + i * 50, line, `${condensed} font-size="46" font-weight="750" fill="${LIGHT.ink}"`);
  });
  const under = 112 + lines.length * 50;
  text(
    pad,
    under - 8,
    [basis, second.sentence].filter(Boolean).join(" · "),
    `${condensed} font-size="25" fill="${LIGHT.soft}"`,
  );

  const top = under + 56;
  const bottom = height - 128;
  const row = Math.min(74, (bottom - top) / Math.max(findings.tests.length, 1));
  const labels = 340;
  const numbers = 500;
  const left = pad + labels;
  const plot = width - 2 * pad - labels - numbers - 30;
  const scale = marginScale(findings, plot);
  const end = top + row * findings.tests.length;
  const band = findings.method.equal_band;
  const size = Math.max(13, Math.min(24, row * 0.42));

  out.push(
    `<rect x="${left + scale(-band / (1 + band))}" y="${top}" width="${scale(band) - scale(-band / (1 + band))}" height="${end - top}" fill="${LIGHT.band}"/>`,
  );
  for (const tick of scale.ticks) {
    const x = left + scale(tick);
    out.push(`<path d="M${x} ${top}V${end}" stroke="${LIGHT.grid}" stroke-width="1.5"/>`);
    text(
      x,
      end + 28,
      tickWords(tick),
      `font-family="${MONO}" font-size="19" text-anchor="middle" fill="${LIGHT.mute}"`,
    );
  }
  out.push(`<path d="${finishLine(left + scale(0), top, end, 5)}" fill="${LIGHT.ink}"/>`);
  const heading = `${condensed} font-size="20" font-weight="600" fill="${LIGHT.soft}"`;
  text(left, top - 14, `← behind ${findings.baseline.name}`, heading);
  text(left + plot, top - 14, `ahead of ${findings.baseline.name} →`, `${heading} text-anchor="end"`);
  const right = left + plot + 30;
  text(right + 120, top - 14, "average fps", `${heading} text-anchor="end"`);
  text(right + 250, top - 14, "1% low", `${heading} text-anchor="end"`);

  const colour = laneInk(findings.other.marker);
  findings.tests.forEach((test, index) => {
    const y = top + index * row;
    out.push(`<path d="M${pad} ${y}H${width - pad}" stroke="${LIGHT.rule}" stroke-width="1.5"/>`);
    const middle = y + row / 2 + size * 0.34;
    text(
      pad,
      middle,
      cut(`${test.game}, ${test.scene}`, labels - 16, size),
      `${condensed} font-size="${size}" font-weight="600" fill="${LIGHT.ink}"`,
    );
    for (const mark of trackMarks(test, scale, row)) {
      const place = `transform="translate(${left} ${y})"`;
      if (mark.x === null) {
        out.push(
          `<path ${place} d="M0 ${mark.y}H${plot}" stroke="${LIGHT.mute}" stroke-dasharray="2 9" stroke-width="1.5"/>`,
        );
        continue;
      }
      out.push(`<path ${place} d="${mark.bracket}" stroke="${colour}" fill="none" stroke-width="2.2"/>`);
      out.push(
        `<path transform="translate(${left + mark.x} ${y + mark.y})" d="${mark.shape}" fill="${mark.kind === "average" ? colour : LIGHT.paper}" stroke="${mark.kind === "average" ? LIGHT.paper : colour}" stroke-width="2.4"/>`,
      );
    }
    const value = (margin: Margin, x: number) =>
      text(
        x,
        middle,
        margin.b_over_a == null ? "left out" : `${signedPercent(margin.b_over_a)}%`,
        `font-family="${MONO}" font-size="${size}" font-weight="${margin.b_over_a == null ? 400 : 600}" text-anchor="end" fill="${margin.b_over_a == null ? LIGHT.mute : LIGHT.ink}"`,
      );
    value(test.average, right + 120);
    value(test.low_1, right + 250);
    const small = Math.min(size * 0.8, row * 0.4);
    for (const [name, margin, place] of [
      ["average", test.average, 0.31],
      ["1% low", test.low_1, 0.69],
    ] as const) {
      text(
        right + 274,
        y + row * place + small * 0.36,
        cut(`${name} ${shortVerdict(margin)}`, numbers - 274, small),
        `${condensed} font-size="${small}" fill="${LIGHT.soft}"`,
      );
    }
  });
  out.push(`<path d="M${pad} ${end}H${width - pad}" stroke="${LIGHT.ink}" stroke-width="2"/>`);
  const foot = height - 34;
  out.push(`<path transform="translate(${pad + 9} ${foot - 6})" d="${disc(8)}" fill="${colour}"/>`);
  text(pad + 26, foot, "average fps", heading);
  out.push(
    `<path transform="translate(${pad + 163} ${foot - 6})" d="${lozenge(9)}" fill="${LIGHT.paper}" stroke="${colour}" stroke-width="2.4"/>`,
  );
  text(pad + 180, foot, "1% low", heading);
  const flips = [findings.average, findings.low_1].filter((suite) => suite.depends_on_method);
  const which = flips.map((suite) => (suite === findings.average ? "average fps" : "1% low")).join(" and ");
  const notes = [
    which && `The verdict depends on the method: ${which}.`,
    ...findings.caveats.map(
      (one) => `${one.accepted ? "Caveat" : "Not accepted"}: ${one.label} (${one.about}): ${one.reason}`,
    ),
  ].filter(Boolean);
  if (notes.length) text(pad, foot - 36, cut(notes.join(" "), width - 2 * pad, 20), heading);
  text(
    width - pad,
    foot,
    `Margins of ${findings.other.name} over ${findings.baseline.name} (baseline, the finish line) · brackets: 95% interval · strip: within ${percent(band)}% counts as even · ${count(findings.tests.length, "test")}, ${count(findings.accepted_passes, "accepted pass", "accepted passes")}`,
    `${condensed} font-size="19" fill="${LIGHT.mute}" text-anchor="end"`,
  );
  const paper = background ? `<rect width="100%" height="100%" fill="${LIGHT.paper}"/>` : "";
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}"><title>${escaped(leading.sentence)}</title><style>${style}</style>${paper}${out.join("")}</svg>`;
}

/** A verdict in a few words, for a narrow place. */
export function shortVerdict(margin: Margin): string {
  if (margin.left_out) return margin.left_out.reason.replace(/_/g, " ");
  if (margin.verdict === "open") {
    return margin.further_passes == null
      ? "open"
      : `open, ${count(margin.further_passes, "more pass", "more passes")}`;
  }
  return `${margin.verdict}${margin.could_be_chance ? ", could be chance" : ""}`;
}

/** The margins in a sentence each, for those who do not see the chart. */
export function describe(test: TestFinding): string {
  const one = (name: string, margin: Margin) =>
    margin.left_out
      ? `${name} left out: ${margin.left_out.words}`
      : `${name} ${signedPercent(margin.b_over_a ?? 0)}%, ${interval(margin.low, margin.high)}, ${margin.words}`;
  return `${one("average fps", test.average)}; ${one("1% low", test.low_1)}`;
}
