import assert from "node:assert/strict";
import { test } from "vitest";
import { filledUp } from "../src/controls/useDraft";
import {
  baselineOf,
  emptyDraft,
  lanesOf,
  paperOf,
  passesOf,
  studyOf,
  testsOf,
} from "../src/places/new-study/draft";
import { methodOf } from "../src/places/new-study/method";
import { KINDS } from "../src/places/plan/kinds";
import { NO_BASE } from "../src/places/plan/lanes";
import * as M from "../src/places/plan/matrix";

const SHELF = {
  setups: [],
  rigs: [],
  kinds: [{ kind: "card", label: "Graphics card", facts: [] }],
  parts: [],
};

function matrix(columns: string[]): M.PlainMatrix {
  const row = { game: "Moss Republic", scene: "square" };
  const cells = new Map(
    columns.map((column) => [M.keyOf(row, column), { priority: 2, passes_wanted: null }] as const),
  );
  return M.plain({ rows: [row], columns, cells });
}

test("every kind begins with lanes to name and is sent with its method", () => {
  for (const { kind } of KINDS) {
    const sent = studyOf(kind, emptyDraft(kind), SHELF);
    assert.equal(sent.kind, kind);
    assert.equal(sent.passes_wanted, 3);
    assert.equal(sent.method?.between, 0.003, kind);
  }
  assert.equal(studyOf("ladder", emptyDraft("ladder"), SHELF).factor, "Graphics card");
  assert.equal(studyOf("sweep", emptyDraft("sweep"), SHELF).factor, "");
});

test("a grid crosses its levels; levels without a name make no lane", () => {
  const draft = emptyDraft("grid");
  draft.factors = [
    { name: "Fan profile", levels: ["plain", "", "quick"] },
    { name: "Power limit", levels: ["90", "120"] },
  ];
  const names = lanesOf("grid", draft, SHELF).map((one) => one.lane.name);
  assert.deepEqual(names, ["plain, 90", "plain, 120", "quick, 90", "quick, 120"]);
  assert.deepEqual(lanesOf("grid", { ...draft, base: { ...draft.base, choice: NO_BASE } }, SHELF), []);
});

test("the tests of a scaling study are run under its lanes, and carry the first of them", () => {
  const draft = {
    ...emptyDraft("scaling"),
    matrix: matrix([""]),
    conditions: ["", "1080 high", "1440 high"],
  };
  assert.deepEqual(
    testsOf("scaling", draft).map((one) => [one.scene, one.condition]),
    [["square", "1080 high"]],
  );
  assert.deepEqual(
    lanesOf("scaling", draft, SHELF).map((one) => one.lane.condition),
    ["1080 high", "1440 high"],
  );
});

test("a baseline that is gone is the first lane; passes that are none count as one on paper", () => {
  const draft = {
    ...emptyDraft("sweep"),
    baseline: "2",
    factors: [{ name: "Power limit", levels: ["90", "120", "150"] }],
  };
  const lanes = lanesOf("sweep", draft, SHELF);
  assert.equal(baselineOf(draft, lanes), 2);
  assert.equal(baselineOf(draft, lanes.slice(0, 2)), 0);
  assert.equal(passesOf({ ...draft, passes: "" }), 1);
  assert.equal(passesOf({ ...draft, passes: "400" }), 50);
  const paper = paperOf("sweep", { ...draft, matrix: matrix(["1440 high"]) }, SHELF);
  assert.deepEqual([paper.factors, paper.baseline, paper.tests?.length], [["Power limit"], 2, 1]);
});

test("a draft kept by an older form has what the form asks since, and keeps what was typed", () => {
  const now = emptyDraft("a_b");
  const { between: _, betweenWhy: __, ...older } = now.method;
  const kept = { ...now, question: "Quicker?", conditions: ["a", "b", "c"], method: { ...older, band: "2" } };
  const filled = filledUp(kept as typeof now, now);
  assert.equal(filled.question, "Quicker?");
  assert.deepEqual(filled.conditions, ["a", "b", "c"]);
  assert.equal(methodOf(filled.method).equal_band, 0.02);
  assert.equal(methodOf(filled.method).between, 0.003);
});
