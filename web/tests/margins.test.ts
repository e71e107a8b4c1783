import assert from "node:assert/strict";
import { test } from "vitest";
import { describe, marginScale, shortVerdict, tickWords, trackMarks, wrap } from "../src/charts/margins";
import {
  bracket,
  DARK_PICTURE,
  disc,
  finishLine,
  LIGHT_PICTURE,
  laneShape,
  lozenge,
} from "../src/charts/marks";
import { findings, margin } from "./findings";
import { marginPicture } from "./picture";

test("the scale holds every interval, the finish line and the equal band", () => {
  const found = findings();
  const scale = marginScale(found, 400);
  const ends = [-0.045, 0.025, 0, 0.01, -0.01].map(scale);
  for (const x of ends) assert.ok(x >= 0 && x <= 400, `${x}`);
  assert.ok(scale(-0.04) < scale(0) && scale(0) < scale(0.02), "ahead lies to the right");
  assert.ok(scale.ticks.includes(0));
});

test("a scale without any margin still shows the equal band", () => {
  const scale = marginScale(findings({ tests: [] }), 300);
  assert.ok(scale(-0.01) > 0 && scale(0.01) < 300);
});

test("a track has the average above and the 1% low below, in shapes of their own", () => {
  const found = findings();
  const scale = marginScale(found, 400);
  const [first] = found.tests;
  assert.ok(first);
  const [average, low] = trackMarks(first, scale, 44);
  assert.ok(average && low);
  assert.equal(average.x, scale(0.02));
  assert.equal(low.x, scale(-0.04));
  assert.ok(average.y < 22 && low.y > 22);
  assert.notEqual(average.shape, low.shape);
  assert.match(average.bracket, /^M/);
});

test("what is left out is an empty track, not a missing one", () => {
  const found = findings();
  const second = found.tests[1];
  assert.ok(second);
  const marks = trackMarks(second, marginScale(found, 400), 44);
  assert.equal(marks.length, 2);
  assert.equal(marks[0]?.x, null);
  assert.equal(marks[0]?.bracket, "");
  assert.notEqual(marks[1]?.x, null);
});

test("a single pass has a mark and no bracket", () => {
  const found = findings();
  const first = found.tests[0];
  assert.ok(first);
  const lone = { ...first, average: margin(0.02, { low: null, high: null, verdict: "open" }) };
  const [average] = trackMarks(lone, marginScale(found, 400), 44);
  assert.equal(average?.bracket, "");
  assert.notEqual(average?.x, null);
});

test("the picture says the answer, the baseline, the sample and what is left out", () => {
  const svg = marginPicture(findings(), "@font-face{}");
  assert.match(svg, /^<svg [^>]*width="1920" height="1080"/);
  for (const words of [
    "Do tall fins help?",
    "Tall fins: 2.0% ahead of plain fins in average fps",
    "← behind plain fins",
    "left out",
    "average capped",
    "2 tests, 12 accepted passes",
    "+2.0%",
    "−4.0%",
  ]) {
    assert.ok(svg.includes(words), words);
  }
  assert.ok(!svg.includes("The verdict depends on the method"));
});

test("names are text in the picture, whatever they hold", () => {
  const svg = marginPicture(findings(), "");
  assert.ok(!svg.includes("<wide>"));
  assert.ok(svg.includes("&lt;wide&gt;"));
});

test("the picture says when the verdict depends on the method, and which figure leads", () => {
  const found = findings();
  const flipping = { ...found, low_1: { ...found.low_1, depends_on_method: true } };
  assert.ok(marginPicture(flipping, "").includes("The verdict depends on the method: 1% low"));
  const lowsFirst = { ...found, method: { ...found.method, leading: "low_1" as const } };
  const svg = marginPicture(lowsFirst, "");
  assert.ok(svg.indexOf("in 1% low") < svg.indexOf("in average fps"));
});

test("without a background the picture is see-through", () => {
  assert.ok(marginPicture(findings(), "", true).includes('<rect width="100%" height="100%"'));
  assert.ok(!marginPicture(findings(), "", false).includes('<rect width="100%" height="100%"'));
});

test("verdicts are short where room is", () => {
  assert.equal(shortVerdict(margin(0.02)), "ahead");
  assert.equal(shortVerdict(margin(-0.02, { could_be_chance: true })), "behind, could be chance");
  assert.equal(shortVerdict(margin(0, { verdict: "open", further_passes: 1 })), "open, 1 more a lane");
  assert.equal(shortVerdict(margin(0, { verdict: "open", further_passes: 4 })), "open, 4 more a lane");
  assert.equal(shortVerdict(margin(0, { verdict: "open" })), "open");
  assert.equal(shortVerdict(margin(null)), "capped");
});

test("who does not see the chart hears the same", () => {
  const [first, second] = findings().tests;
  assert.ok(first && second);
  assert.equal(
    describe(first),
    "average fps +2.0%, +1.5% to +2.5%, ahead of plain fins; 1% low −4.0%, −4.5% to −3.5%, behind plain fins",
  );
  assert.match(describe(second), /^average fps left out: plain fins: capped; 1% low \+1\.0%/);
});

test("ticks are whole where they are whole", () => {
  assert.deepEqual([-0.12, 0, 0.005].map(tickWords), ["−12%", "0%", "+0.5%"]);
});

test("long sentences are set on several lines without losing a word", () => {
  const sentence = "one two three four five six seven";
  const lines = wrap(sentence, 14);
  assert.ok(lines.length > 1);
  assert.equal(lines.join(" "), sentence);
});

test("36 lanes stay apart by colour and shape together, the first six by either", () => {
  const look = (lane: number) => `${LIGHT_PICTURE.lane(lane)} ${laneShape(lane, 5)}`;
  const lanes = Array.from({ length: 36 }, (_, lane) => lane);
  assert.equal(new Set(lanes.map(look)).size, 36);
  const first = lanes.slice(0, 6);
  assert.equal(new Set(first.map((lane) => laneShape(lane, 5))).size, 6);
  assert.equal(new Set(first.map(LIGHT_PICTURE.lane)).size, 6);
});

test("a picture in the dark scheme is drawn in its colours, and its track as on the page", () => {
  const dark = marginPicture(findings(), "", true, DARK_PICTURE);
  assert.ok(dark.includes(DARK_PICTURE.paper) && !dark.includes(LIGHT_PICTURE.paper));
  assert.ok(!dark.includes("var(--"), "a picture has no scheme to follow");
});

test("the finish line fills its height exactly", () => {
  const path = finishLine(100, 0, 10, 4);
  assert.equal(path.match(/M/g)?.length, 3);
  assert.ok(path.endsWith("v2h-4z"), "the last chequer is cut to fit");
});

test("brackets open to the inside and shapes are closed", () => {
  assert.ok(bracket(10, 50, 5).endsWith("M10 5H50"));
  assert.ok(disc(4).endsWith("Z") && lozenge(4).endsWith("Z"));
});
