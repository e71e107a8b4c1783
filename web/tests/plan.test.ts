import assert from "node:assert/strict";
import { test } from "vitest";
import type { Schemas } from "../src/api/client";
import { benchDay, benchMoment, figure, hours } from "../src/format";
import { changed, thingsOf } from "../src/places/bench/CopyDialog";
import { factValue } from "../src/places/bench/PartDialog";
import { emptySetup, type SetupDraft } from "../src/places/bench/SetupEditor";
import { moved } from "../src/places/plan/changes";
import {
  emptyOther,
  followsFirst,
  readyCards,
  readyConditions,
  readyLevels,
  readyOthers,
  readyPair,
  type Shelf,
  sketchOf,
} from "../src/places/plan/lanes";
import * as M from "../src/places/plan/matrix";
import { linesOf, priced } from "../src/places/plan/pasting";

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

const SHELF: Shelf = { setups: [], rigs: [], kinds: KINDS, parts: [] };

function part(kind: string, name: string, maker: string, date = ""): Schemas["PartOut"] {
  return { id: date.length, kind, name, maker, facts: { date } } as unknown as Schemas["PartOut"];
}

test("a pair carries its factor into both setups; the second is the first with another level", () => {
  const typed = [
    { name: "", choice: "new", setup: { ...base, name: "" }, level: "standard" },
    { name: "hushed", choice: "new", setup: emptySetup(), level: "quiet" },
  ];
  assert.ok(followsFirst(typed, "Fan profile"));
  const [a, b] = readyPair(typed, "Fan profile", SHELF);
  assert.deepEqual([a?.lane.name, b?.lane.name], ["standard", "hushed"]);
  assert.deepEqual(b?.lane.levels, { "Fan profile": "quiet" });
  assert.deepEqual(a?.lane.setup?.parts, b?.lane.setup?.parts);
  assert.deepEqual(b?.lane.setup?.settings?.at(-1), { name: "Fan profile", value: "quiet" });
  assert.equal(b?.lane.setup?.name, "V5, fan profile quiet", "named after machine and difference");
  const apart = [typed[0], { ...typed[1], own: true }] as typeof typed;
  assert.ok(!followsFirst(apart, "Fan profile"));
  assert.deepEqual(readyPair(apart, "Fan profile", SHELF)[1]?.lane.setup?.parts, []);
  const [known9] = readyPair(
    [{ ...typed[0], choice: "9", level: "160 W" } as (typeof typed)[0]],
    "Power limit",
    {
      ...SHELF,
      setups: [known()],
    },
  );
  assert.equal(known9?.lane.setup_id, 9, "the setup of the bench has that value already");
});

test("levels of a part bring prices and the driver of their maker", () => {
  const shelf = {
    ...SHELF,
    parts: [
      part("card", "V5", "Ostrane"),
      part("card", "K9", "Fennik"),
      part("driver", "41.2", "Ostrane"),
      part("driver", "5.04", "Fennik", "2026-01"),
      part("driver", "5.11", "Fennik", "2026-05"),
    ],
  };
  const factor = [{ name: "Graphics card", levels: ["V5; 299 EUR", "K9\t€1,349.50", "Novel 3"] }];
  const lanes = readyLevels(base, undefined, factor, shelf);
  const partsOf = (at: number, kind: string) =>
    lanes[at]?.lane.setup?.parts?.filter((one) => one.kind === kind);
  assert.deepEqual(partsOf(0, "card"), [{ kind: "card", name: "V5", price: "299", currency: "EUR" }]);
  assert.deepEqual(partsOf(1, "card"), [{ kind: "card", name: "K9", price: "1349.50", currency: "EUR" }]);
  assert.deepEqual(
    lanes.map((one) => one.lane.name),
    ["V5", "K9", "Novel 3"],
  );
  assert.deepEqual(partsOf(0, "driver"), [{ kind: "driver", name: "41.2" }]);
  assert.deepEqual(partsOf(1, "driver"), [{ kind: "driver", name: "5.11" }]);
  assert.deepEqual(partsOf(2, "driver"), [{ kind: "driver", name: "41.2" }], "its maker is not known");
  const plain = sketchOf(lanes, [], { factors: [], baseline: 0, passes_wanted: 3, tests: [] });
  assert.deepEqual(plain.lanes?.[0]?.parts?.[1], { kind: "card", name: "V5" });
});

test("a name and its price are told apart, and a name keeps its commas", () => {
  const of = (text: string) => Object.values(priced(text));
  assert.deepEqual(of("Corv 20; 299 EUR"), ["Corv 20", "299", "EUR"]);
  assert.deepEqual(of("Corv 20, 1.299,00 €"), ["Corv 20", "1299.00", "EUR"]);
  assert.deepEqual(of("Corv 20\tEUR 1 299"), ["Corv 20", "1299", "EUR"]);
  assert.deepEqual(of("Corv 20; 299"), ["Corv 20", "299", ""], "the server asks for the currency");
  assert.deepEqual(of("Kit 6000, 32"), ["Kit 6000, 32", null, ""]);
  assert.deepEqual(of("Corv 20"), ["Corv 20", null, ""]);
  assert.equal(linesOf("one line"), null);
  assert.deepEqual(linesOf("a\r\n\n b "), ["a", "b"]);
});

test("a rival that is described by its name alone is a whole machine", () => {
  const typed = { ...emptySetup(), name: "Fennik Reise 14; 1299 EUR" };
  const others = [
    { ...emptyOther(0, 1), described: typed },
    { ...emptyOther(1, 1), described: { ...base, name: "Rival" }, levels: ["V7"] },
    { ...emptyOther(2, 1), setup: "9" },
    emptyOther(3, 1),
  ];
  const lanes = readyOthers(others, [{ name: "Graphics card", levels: [] }], { ...SHELF, setups: [known()] });
  assert.deepEqual(
    lanes.map(({ lane }) => [lane.name, lane.setup_id ?? lane.setup?.parts?.map((one) => one.name)]),
    [
      ["Fennik Reise 14", ["Fennik Reise 14"]],
      ["Rival", ["V5", "41.2"]],
      ["Box", 9],
    ],
  );
  assert.deepEqual(lanes[0]?.lane.setup?.parts?.[0], {
    kind: "machine",
    name: "Fennik Reise 14",
    price: "1299",
    currency: "EUR",
  });
});

test("games without a scene are given one for all", () => {
  const known = [
    { game: "Moss", name: "square" },
    { game: "Ninth", name: "pier" },
    { game: "Ninth", name: "hold" },
  ];
  const text = "moss\nNinth\nGlass, dune";
  assert.deepEqual(M.pasted(text, known).unclear, ["Ninth"]);
  assert.deepEqual(M.pasted(text, known, "built-in benchmark").rows, [
    { game: "Moss", scene: "square" },
    { game: "Ninth", scene: "built-in benchmark" },
    { game: "Glass", scene: "dune" },
  ]);
});

test("levels make lanes: parts are swapped, settings set, and the base itself is used as it is", () => {
  const cards = readyLevels(base, known(), [{ name: "graphics card", levels: ["V5", " V7 ", ""] }], SHELF);
  assert.deepEqual(
    cards.map((one) => one.lane.name),
    ["V5", "V7"],
  );
  assert.deepEqual(cards[1]?.lane.setup?.parts, [
    { kind: "driver", name: "41.2" },
    { kind: "card", name: "V7" },
  ]);
  assert.equal(cards[1]?.lane.setup?.name, "Box, V7");
  const watts = readyLevels(base, known(), [{ name: "Power limit", levels: ["160 W", "120 W"] }], SHELF);
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
    SHELF,
  );
  assert.deepEqual(
    grid.map((one) => one.lane.name),
    ["V5, on", "V5, off", "V7, on", "V7, off"],
  );
  assert.deepEqual(grid[3]?.lane.levels, { "Graphics card": "V7", Sync: "off" });
  assert.deepEqual(readyLevels(base, undefined, [{ name: "", levels: ["a"] }], SHELF), []);
});

test("scaling lanes are conditions; a pair takes setups from the bench or described ones", () => {
  const scaling = readyConditions(base, known(), ["1080 high", " ", "1440 high"], SHELF);
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
    "",
    { ...SHELF, setups: [known()] },
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
  const lanes = readyCards(base, known(), SHELF, "Graphics card", ["1", " 2 ", "", "none", "99"]);
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
    readyCards({ ...base, parts: [] }, undefined, SHELF, "Graphics card", ["1", "2"]),
    [],
    "without a card there is nothing to repeat",
  );
});
