/** The margin chart: scales, marks and words, without anything drawn. */

import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { missingWords } from "../api/words";
import { interval, signedPercent } from "../format";
import { bracket, disc, lozenge } from "./marks";

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

/** A text on lines of about `width` px, smaller where it would take more than `most` of them: nothing is cut off. */
export function fitted(
  text: string,
  width: number,
  sizes: readonly number[],
  most: number,
): { size: number; lines: string[] } {
  let found = { size: 0, lines: [] as string[] };
  for (const size of sizes) {
    found = { size, lines: wrap(text, Math.floor(width / (size * 0.44))) };
    if (found.lines.length <= most) break;
  }
  return found;
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

/** Where a test stands beside another of its game, what tells them apart: scene or condition, or both. */
export function testWords(test: TestFinding, all: TestFinding[]): string {
  const twins = all.filter((one) => one.game === test.game && one !== test);
  const scenes = twins.some((one) => one.scene !== test.scene);
  const conditions = twins.some((one) => one.condition !== test.condition);
  return [test.game, scenes && test.scene, conditions && test.condition].filter(Boolean).join(", ");
}

/** A verdict in a few words, for a narrow place. */
export function shortVerdict(margin: Margin): string {
  if (margin.left_out) return missingWords(margin.left_out.reason);
  if (margin.verdict === "open") {
    return margin.further_passes == null ? "open" : `open, ${margin.further_passes} more a lane`;
  }
  if (margin.within) return `even, ${margin.within} within the band`;
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
