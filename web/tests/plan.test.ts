import assert from "node:assert/strict";
import { test } from "vitest";
import type { Schemas } from "../src/api/client";
import { benchDay, benchMoment, figure, hours } from "../src/format";
import { changed, thingsOf } from "../src/places/bench/CopyDialog";
import { factValue } from "../src/places/bench/PartDialog";
import { emptySetup, type SetupDraft } from "../src/places/bench/SetupEditor";
import { moved } from "../src/places/plan/changes";
import { readyCards, readyConditions, readyLevels, readyPair, sketchOf } from "../src/places/plan/lanes";
import * as M from "../src/places/plan/matrix";

const fact = (more: Partial<Schemas["FactOut"]>): Schemas["FactOut"] => ({
  name: "bus_bits",
  label: "Bus width",
  type: "whole",
  unit: "bit",
  low: 32,
  high: 8192,
  choices: [],
  stated_limit: false,
  ...more,
});
const CARD = {
  kind: "card",
  label: "Graphics card",
  facts: [fact({}), fact({ name: "beta", label: "Beta", type: "flag", unit: "" })],
};
const DRIVER = { kind: "driver", label: "Driver", facts: [] };
const KINDS = [CARD, DRIVER];
const base: SetupDraft = {
  ...emptySetup(),
  name: "Box",
  parts: [
    { key: 0, kind: "card", name: "V5" },
    { key: 1, kind: "driver", name: "41.2" },
  ],
  settings: [{ key: 0, name: "Power limit", value: "160 W" }],
};
const known = (): Schemas["SetupOut"] => ({
  id: 9,
  version_id: 19,
  name: "Box",
  version: 1,
  frozen: false,
  newest: true,
  rig_id: null,
  rig: "",
  parts: base.parts.map((part, id) => ({
    id,
    kind: part.kind,
    name: part.name,
    swapped: false,
    summary: "",
  })),
  settings: [{ name: "Power limit", value: "160 W" }],
  cautions: [],
  seen: "a",
});

test("a matrix fills by cell, row, column and whole, and clears what is full", () => {
  let matrix = M.addScene(M.addScene(M.EMPTY, { game: "Moss", scene: "square" }), {
    game: "Ninth",
    scene: "pier",
  });
  matrix = M.addCondition(M.addCondition(matrix, "1080"), "1440");
  assert.equal(M.testsOf(matrix).length, 4);
  assert.deepEqual(
    M.testsOf(M.toggle(matrix, M.one(0, 1))).map((one) => `${one.game} ${one.condition}`),
    ["Moss 1080", "Ninth 1080", "Ninth 1440"],
  );
  assert.equal(M.testsOf(M.toggle(matrix, M.wholeRow(matrix, 0))).length, 2);
  assert.equal(M.testsOf(M.toggle(matrix, M.wholeColumn(matrix, 1))).length, 2);
  const none = M.toggle(matrix, M.everywhere(matrix));
  assert.equal(M.testsOf(none).length, 0);
  assert.equal(M.testsOf(M.toggle(none, M.everywhere(none))).length, 4);
  assert.equal(M.addScene(matrix, { game: "MOSS", scene: "Square" }), matrix, "a scene stands there once");
  assert.equal(M.addCondition(matrix, "1080"), matrix);
});

test("passes and priorities are kept by cell, and a study's tests come back as they were", () => {
  const tests = [
    { game: "Moss", scene: "square", condition: "1440", priority: 1, passes_wanted: 5 },
    { game: "Ninth", scene: "pier", condition: "1080", priority: 3, passes_wanted: 3 },
  ];
  const matrix = M.matrixOf(tests);
  assert.deepEqual(matrix.columns, ["1440", "1080"]);
  assert.deepEqual(M.testsOf(matrix), tests);
  const more = M.edit(matrix, M.one(0, 0), M.morePasses(1, 3));
  assert.equal(M.cellAt(more, 0, 0)?.passes_wanted, 6);
  assert.equal(M.cellAt(more, 0, 1), undefined);
  assert.equal(M.morePasses(-9, 3)({ priority: 2, passes_wanted: null }).passes_wanted, 1);
});

test("levels make lanes: parts are swapped, settings set, and the base itself is used as it is", () => {
  const cards = readyLevels(base, known(), [{ name: "graphics card", levels: ["V5", " V7 ", ""] }], KINDS);
  assert.deepEqual(
    cards.map((one) => one.lane.name),
    ["V5", "V7"],
  );
  assert.deepEqual(cards[1]?.lane.setup?.parts, [
    { kind: "driver", name: "41.2" },
    { kind: "card", name: "V7" },
  ]);
  assert.equal(cards[1]?.lane.setup?.name, "Box, V7");
  const watts = readyLevels(base, known(), [{ name: "Power limit", levels: ["160 W", "120 W"] }], KINDS);
  assert.equal(watts[0]?.lane.setup_id, 9, "the base has this level already");
  assert.deepEqual(watts[1]?.lane.setup?.settings, [{ name: "Power limit", value: "120 W" }]);
  assert.equal(watts[1]?.lane.setup?.name, "Box, power limit 120 W");
  const grid = readyLevels(
    base,
    undefined,
    [
      { name: "Graphics card", levels: ["V5", "V7"] },
      { name: "Sync", levels: ["on", "off"] },
    ],
    KINDS,
  );
  assert.deepEqual(
    grid.map((one) => one.lane.name),
    ["V5, on", "V5, off", "V7, on", "V7, off"],
  );
  assert.deepEqual(grid[3]?.lane.levels, { "Graphics card": "V7", Sync: "off" });
  assert.deepEqual(readyLevels(base, undefined, [{ name: "", levels: ["a"] }], KINDS), []);
});

test("scaling lanes are conditions; a pair takes setups from the bench or described ones", () => {
  const scaling = readyConditions(base, known(), ["1080 high", " ", "1440 high"]);
  assert.deepEqual(
    scaling.map((one) => one.lane),
    [
      { name: "1080 high", condition: "1080 high", levels: {}, setup_id: 9 },
      { name: "1440 high", condition: "1440 high", levels: {}, setup_id: 9 },
    ],
  );
  const pair = readyPair(
    [
      { name: "a", choice: "9", setup: emptySetup() },
      { name: "b", choice: "new", setup: base },
    ],
    [known()],
  );
  assert.equal(pair[0]?.lane.setup_id, 9);
  assert.equal(pair[1]?.lane.setup?.name, "Box");
  const sketch = sketchOf(pair, [], { factors: ["Driver"], baseline: 0, passes_wanted: 3, tests: [] });
  assert.deepEqual(sketch.lanes?.[0]?.parts, sketch.lanes?.[1]?.parts);
});

test("a copy changes one thing and nothing else", () => {
  const setup = known();
  const things = thingsOf(setup, KINDS);
  assert.deepEqual(
    things.map((one) => [one.key, one.label]),
    [
      ["1", "Power limit"],
      ["2", "Graphics card"],
      ["3", "Driver"],
    ],
  );
  const [limit, card] = things;
  assert.ok(limit && card);
  assert.deepEqual(changed(setup, limit, "120 W", "Box 2").settings, [
    { name: "Power limit", value: "120 W" },
  ]);
  const builds = ["Moss 1", "Ninth 1"].map((name, id) => ({
    id,
    kind: "build",
    name,
    swapped: false,
    summary: "",
  }));
  const onRig = { ...setup, rig_id: 7, rig: "Box", parts: [...setup.parts, ...builds] };
  const moss = thingsOf(onRig, KINDS).find((one) => one.value === "Moss 1");
  assert.ok(moss);
  assert.deepEqual(
    changed(onRig, moss, "Moss 2", "Box 4").parts,
    ["Moss 2", "Ninth 1"].map((name) => ({ kind: "build", name })),
    "the other game's build is not lost",
  );
  assert.deepEqual(changed(setup, card, "V7", "Box 3").parts, [
    { kind: "driver", name: "41.2" },
    { kind: "card", name: "V7" },
  ]);
});

test("facts are typed as people write them", () => {
  assert.equal(factValue(fact({ type: "number" }), " 1,25 "), 1.25);
  assert.equal(factValue(fact({ type: "number" }), "much"), "much", "the server says what is wrong with it");
  assert.equal(factValue(fact({}), ""), undefined);
  assert.equal(factValue(fact({ type: "flag" }), true), true);
  assert.equal(factValue(fact({ type: "text" }), "41.2"), "41.2");
});

test("moving a block moves its passes", () => {
  const blocks = [[1, 2], [3], [4]].map((pass_ids) => ({ pass_ids }) as Schemas["BlockOut"]);
  assert.deepEqual(moved(blocks, 0, 2), [3, 4, 1, 2]);
  assert.deepEqual(moved(blocks, 2, 0), [4, 1, 2, 3]);
  assert.deepEqual(moved(blocks, 9, 0), [1, 2, 3, 4]);
});

test("times at the bench have no zone", () => {
  assert.equal(benchDay("2027-01-11"), "Mon 11 Jan");
  assert.equal(benchMoment("2027-01-11T23:59:00"), "Mon 11 Jan, 23:59");
  assert.deepEqual([hours(90), hours(3600), hours(3660 * 2)], ["2 min", "1 h", "2 h 2 min"]);
  assert.deepEqual([figure(100), figure(12.857), figure(0.5), figure(96)], ["100", "12.86", "0.5", "96"]);
});

test("several cards repeat the setup's card as often as each lane says", () => {
  const lanes = readyCards(base, known(), [], "Graphics card", ["1", " 2 ", "", "none", "99"]);
  assert.deepEqual(
    lanes.map(({ lane }) => [lane.name, lane.setup?.parts?.filter((part) => part.kind === "card").length]),
    [
      ["1 card", 1],
      ["2 cards", 2],
      ["8 cards", 8],
    ],
  );
  assert.deepEqual(lanes[1]?.lane.levels, { "Graphics card": "2 cards" });
  assert.equal(lanes[1]?.lane.setup?.parts?.filter((part) => part.kind === "driver").length, 1);
  assert.deepEqual(
    readyCards({ ...base, parts: [] }, undefined, [], "Graphics card", ["1", "2"]),
    [],
    "without a card there is nothing to repeat",
  );
});
