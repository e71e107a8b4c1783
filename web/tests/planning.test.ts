import assert from "node:assert/strict";
import { test } from "vitest";
import type { Schemas } from "../src/api/client";
import { laneShape } from "../src/charts/marks";
import { nextAction } from "../src/places/Desk";
import { planIn } from "../src/places/plan/changes";
import { partKind, readyLevels } from "../src/places/plan/lanes";
import * as M from "../src/places/plan/matrix";
import { CHANGE_WORDS, COST_WORDS, ORDER_WORDS, WEIGHT_WORDS } from "../src/places/plan/words";
import { engineWords, toldWords } from "../src/places/scenes/words";
import { findings } from "./findings";
import { marginPicture } from "./picture";

const PARTS = [
  { kind: "card", label: "Graphics card", facts: [] },
  { kind: "memory", label: "Memory kit", facts: [] },
];

const plan: Schemas["PlanOut"] = {
  study_id: 1,
  saved: true,
  seen: "a",
  margin: 0.02,
  most_passes: 6,
  order: "by_hand",
  seed: 3,
  costs: { swap_s: 60 },
  starts_on: "2027-01-11",
  day_starts: "09:00:00",
  hours_a_day: 7.5,
  weekdays: [0, 1],
  deadline: "2027-01-13T18:00:00",
  pairings: [],
  objections: [],
  unsaid: [],
  changed: [],
  needs: [],
  leading: "average_fps",
  suite_resolvable: null,
  drift_allowance: 0.005,
  drift_words: "",
  length_words: "",
  other_order: null,
  control: null,
  rule: null,
  all_costs: { swap_s: 60 },
  outlines: [],
  chosen: {
    order: "by_hand",
    passes: 0,
    total_s: 0,
    ends: null,
    counts: {},
    tells: null,
    dropped: 0,
    fits: true,
  },
  sessions: [],
  blocks: [],
  dropped: [],
  gone: [],
  unplaceable: 0,
  late: false,
};

test("what is sent of a plan is what was decided, not what follows from it", () => {
  const kept = planIn(plan);
  assert.deepEqual(Object.keys(kept).sort(), [
    "control_test",
    "costs",
    "dates",
    "day_starts",
    "deadline",
    "hours_a_day",
    "margin",
    "most_passes",
    "order",
    "quiet_from",
    "quiet_to",
    "seed",
    "starts_on",
    "weekdays",
  ]);
  assert.equal(kept.deadline, plan.deadline);
});

test("every order, kind, weight, change and cost has its words", () => {
  for (const order of ["lane_by_lane", "in_rounds", "alternating", "by_game", "random", "by_hand"])
    assert.ok(ORDER_WORDS[order]);
  for (const weight of ["harmless", "mind", "spoils"]) assert.ok(WEIGHT_WORDS[weight]);
  for (const kind of ["swap", "driver", "reboot", "setting", "load", "restart", "menu", "resolution"])
    assert.equal(CHANGE_WORDS[kind]?.length, 2);
  for (const cost of ["start_s", "swap_s", "quick_swap_s", "driver_s", "reboot_s", "setting_s", "load_s"])
    assert.ok(COST_WORDS[cost]);
});

test("the exported picture carries the caveats, accepted or not", () => {
  const caveat = (accepted: boolean) => ({
    label: "Room",
    about: "22 °C / 25 °C",
    weight: "mind",
    reason: accepted ? "a warm <afternoon>" : "a warmer room means lower clocks",
    accepted,
  });
  const svg = (accepted: boolean) => marginPicture(findings({ caveats: [caveat(accepted)] }), "");
  assert.match(svg(true), /Caveat: Room \(22 °C \/ 25 °C\): a warm &lt;afternoon&gt;/);
  assert.match(svg(false), /Not accepted: Room/);
  assert.doesNotMatch(marginPicture(findings(), ""), /Caveat/);
});

const SHELF = { setups: [], rigs: [], kinds: PARTS, parts: [] };

test("an exported picture is whole: what does not fit is smaller and on more lines, never cut", () => {
  const reason = "a warm afternoon in the attic with both windows shut and the heating on ".repeat(12).trim();
  const long = {
    kind: "setting",
    key: "a",
    label: "Room",
    about: "22 / 25",
    weight: "mind",
    reason,
    accepted: true,
  };
  const svg = marginPicture(findings({ caveats: [long as never] }), "");
  const shown = svg.replace(/<[^>]+>/g, " ").replace(/\s+/g, " ");
  assert.ok(shown.includes(reason));
  assert.doesNotMatch(svg, /…/);
});

test("a factor is a kind of part by its label or name, else a setting", () => {
  assert.equal(partKind(" graphics CARD ", PARTS), "card");
  assert.equal(partKind("memory", PARTS), "memory");
  assert.equal(partKind("Power limit", PARTS), null);
  assert.equal(partKind("", PARTS), null);
});

test("a setting that the base does not have yet is added to every lane", () => {
  const base = { name: "Box", rig: "", parts: [], settings: [{ key: 0, name: "", value: "" }] };
  const lanes = readyLevels(base, undefined, [{ name: "Sync", levels: ["on", "off"] }], SHELF);
  assert.deepEqual(
    lanes.map(({ lane }) => lane.setup?.settings),
    [[{ name: "Sync", value: "on" }], [{ name: "Sync", value: "off" }]],
  );
  assert.deepEqual(
    lanes.map(({ lane }) => lane.setup?.name),
    ["Box, sync on", "Box, sync off"],
  );
});

test("lanes of a rig are named after the rig", () => {
  const base = {
    name: "Box, as delivered",
    rig: "7",
    parts: [],
    settings: [{ key: 0, name: "Sync", value: "off" }],
  };
  const known = { id: 9, rig: "Box", rig_id: 7 } as Schemas["SetupOut"];
  const [same, other] = readyLevels(base, known, [{ name: "Sync", levels: ["off", "on"] }], SHELF);
  assert.equal(same?.lane.setup_id, 9);
  assert.equal(other?.lane.setup?.name, "Box, sync on");
  assert.equal(other?.lane.setup?.rig_id, 7);
});

test("editing a cell that is not run changes nothing, and a place outside is none", () => {
  const matrix = M.addCondition(M.addScene(M.EMPTY, { game: "Moss", scene: "square" }), "1440");
  const empty = M.toggle(matrix, M.one(0, 0));
  assert.equal(M.testsOf(M.edit(empty, M.one(0, 0), M.morePasses(1, 3))).length, 0);
  assert.deepEqual(M.testsOf(M.toggle(matrix, M.one(5, 5))), M.testsOf(matrix));
  assert.equal(M.cellAt(matrix, 9, 0), undefined);
  assert.equal(M.addScene(matrix, { game: "Ninth", scene: "" }), matrix, "a scene needs its name");
  assert.equal(M.addCondition(matrix, ""), matrix);
});

test("a row is given up as a whole and keeps its passes", () => {
  let matrix = M.addScene(M.EMPTY, { game: "Moss", scene: "square" });
  for (const condition of ["1080", "1440"]) matrix = M.addCondition(matrix, condition);
  matrix = M.edit(matrix, M.one(0, 1), M.morePasses(2, 3));
  matrix = M.edit(matrix, M.wholeRow(matrix, 0), (cell) => ({ ...cell, priority: 3 }));
  assert.deepEqual(
    M.testsOf(matrix).map((one) => [one.condition, one.priority, one.passes_wanted]),
    [
      ["1080", 3, null],
      ["1440", 3, 5],
    ],
  );
});

test("games and conditions are said in words", () => {
  const game = {
    id: 1,
    name: "Moss",
    genre: "",
    notes: "",
    scenes: 1,
    engine_cap_fps: 120,
    preset_needs_restart: true,
    forbids_overlays: false,
    has_replay: false,
    has_benchmark: true,
    seen: "a",
  };
  assert.deepEqual(engineWords(game), [
    "engine cap 120 fps",
    "a preset needs a restart",
    "has a built-in benchmark",
  ]);
  const condition: Schemas["ConditionOut"] = {
    id: 1,
    used: false,
    name: "c",
    resolution: "2560 × 1440",
    preset: "high",
    upscaling: "off",
    ray_tracing: "",
    api: "",
    frame_limit_fps: 90.5,
    intent: "typical",
    seen: "a",
  };
  assert.deepEqual(toldWords(condition), ["2560 × 1440", "high", "upscaling off", "limited to 90.5 fps"]);
});

test("a study with nothing planned is planned first", () => {
  const counts = { planned: 0, recorded: 0, accepted: 0, rejected: 0, did_not_run: 0 };
  const study: Schemas["StudySummary"] = {
    id: 4,
    kind: "ladder",
    question: "Q?",
    factor: "F",
    second_factor: "",
    state: "open",
    ready_at: "2026-09-12T10:00:00Z",
    lanes: ["a", "b"],
    tests: 1,
    counts,
    created_at: "2026-09-12T10:00:00Z",
    finished_at: null,
    archived_at: null,
    kept: false,
  };
  assert.deepEqual(nextAction(study), { text: "Plan passes", to: "/studies/4/plan", urgent: false });
  assert.equal(nextAction({ ...study, counts: { ...counts, rejected: 2 } }).text, "Plan passes");
});

test("lanes keep apart by shape for as many as have one", () => {
  assert.equal(new Set([0, 1, 2, 3, 4, 5].map((lane) => laneShape(lane, 5))).size, 6);
});
