import assert from "node:assert/strict";
import { test } from "vitest";
import { Problem, problemOf } from "../src/api/client";
import { snapped } from "../src/api/traces";
import { keepWords, words } from "../src/api/words";
import { frameAt, longest, polyline } from "../src/charts/traces";
import { readFrames } from "../src/model/frames";
import { emptySetup, draftOf as setupDraft, setupOf, wholeParts } from "../src/places/bench/SetupEditor";
import { nextAction } from "../src/places/Desk";
import { clashes } from "../src/places/hand-in/assigning";
import { problemOfMap } from "../src/places/hand-in/ColumnMapEditor";
import { DEFAULT_METHOD, draftOf, methodOf } from "../src/places/new-study/method";

const counts = { planned: 0, recorded: 0, accepted: 0, rejected: 0, did_not_run: 0 };
const study = {
  id: 4,
  kind: "a_b",
  second_factor: "",
  ready_at: "2026-09-12T10:00:00Z" as string | null,
  question: "Q?",
  factor: "F",
  state: "open",
  lanes: ["a", "b"],
  tests: 1,
  created_at: "2026-09-12T10:00:00Z",
  finished_at: null,
  archived_at: null,
  kept: false,
};

test("the desk names what a study needs next", () => {
  const next = (more: Partial<typeof counts>, state = "open") =>
    nextAction({ ...study, state, counts: { ...counts, ...more } });
  assert.deepEqual(next({ recorded: 1, planned: 5 }), {
    text: "Decide on 1 pass",
    to: "/studies/4/passes",
    urgent: true,
  });
  assert.deepEqual(next({ planned: 5 }), {
    text: "Hand in 5 captures",
    to: "/studies/4/intake",
    urgent: false,
  });
  assert.equal(next({ accepted: 6 }).text, "Read the findings");
  const unready = { ...study, ready_at: null };
  assert.equal(nextAction({ ...unready, counts: { ...counts, planned: 5 } }).text, "Make it fair");
  assert.equal(
    nextAction({ ...unready, counts: { ...counts, planned: 5, accepted: 1 } }).to,
    "/studies/4/intake",
  );
  assert.equal(next({ recorded: 1 }, "finished").text, "Read the findings");
  assert.equal(nextAction({ ...study, archived_at: "2026-10-01T10:00:00Z", counts }).text, "Look at it");
});

test("a setup on a rig is only what it swaps, and whole again with its rig", () => {
  const part = (kind: string, name: string, swapped: boolean) => ({
    id: 1,
    kind,
    name,
    swapped,
    summary: "",
  });
  const setup = {
    name: "Box, new driver",
    rig_id: 7,
    parts: [part("card", "V5", false), part("driver", "42.0", true)],
    settings: [{ name: "Sync", value: "off" }],
  };
  const draft = setupDraft(setup);
  assert.deepEqual(setupOf(draft).parts, [{ kind: "driver", name: "42.0" }]);
  const own = [
    { kind: "card", name: "V5" },
    { kind: "driver", name: "41.2" },
  ];
  const rigs = [{ id: 7, name: "Box", notes: "", setups: 1, parts: own, seen: "a" }];
  assert.deepEqual(wholeParts(draft, rigs), [
    { kind: "card", name: "V5" },
    { kind: "driver", name: "42.0" },
  ]);
  assert.equal(setupDraft({ ...setup, rig_id: null }).parts.length, 2);
});

test("rows of a setup that were left empty are no parts", () => {
  const draft = { ...emptySetup(), name: " Box ", settings: [{ key: 0, name: " Sync ", value: " off " }] };
  draft.parts = draft.parts.map((part) => (part.kind === "card" ? { ...part, name: " Ostrane V5 " } : part));
  assert.deepEqual(setupOf(draft), {
    name: "Box",
    rig_id: null,
    parts: [{ kind: "card", name: "Ostrane V5" }],
    settings: [{ name: "Sync", value: "off" }],
  });
});

test("a column map says what it lacks", () => {
  keepWords({ ...words(), channels: [{ channel: "fan_rpm", words: "fan", units: ["rpm"] }] });
  const map = (...uses: [string, string][]) => ({
    format: "delimited",
    map: uses.map(([column, channel]) => ({ column, channel, unit: "ms" })),
  });
  assert.equal(problemOfMap(map(["a", "frame_time"], ["b", "gpu_busy_ms"])), null);
  assert.match(problemOfMap(map(["b", "gpu_busy_ms"])) ?? "", /^Choose the column/);
  assert.match(problemOfMap(map(["a", "frame_time"], ["t", "timestamp"])) ?? "", /“a” and “t” do/);
  assert.match(
    problemOfMap(map(["a", "fps"], ["b", "fan_rpm"], ["c", "fan_rpm"])) ?? "",
    /Two columns are taken for fan/,
  );
});

test("two files cannot be the same pass; files without a number fill what is free", () => {
  const place = (lane: string, number: string) => ({ lane, test: "1", number });
  const found = clashes([
    [1, place("1", "2")],
    [2, place("1", "02")],
    [3, place("2", "2")],
    [4, place("1", "")],
    [5, place("1", "")],
  ]);
  assert.deepEqual([...found], [1, 2]);
});

test("a method survives being edited", () => {
  const method = methodOf({ ...DEFAULT_METHOD, band: "1.5", display: "144" });
  assert.equal(method.equal_band, 0.015);
  assert.equal(method.display_hz, 144);
  assert.deepEqual(methodOf(draftOf(method)), method);
  assert.equal(draftOf({ ...method, equal_band: 0.07 }).band, "7");
  assert.equal(methodOf(DEFAULT_METHOD).display_hz, null);
});

/** An answer of the trace endpoint: exact or not, the count, then its parts. */
function answer(exact: boolean, ...parts: number[][]): ArrayBuffer {
  return new Float64Array([exact ? 1 : 0, parts[0]?.length ?? 0, ...parts.flat()]).buffer;
}

test("the frame at a time is the one that is being shown", () => {
  const { end, low, high, exact } = readFrames(answer(true, [2.01, 2.03, 2.06], [10, 20, 30]));
  assert.deepEqual(
    [[...end], [...low], [...high], exact],
    [[2.01, 2.03, 2.06], [10, 20, 30], [10, 20, 30], true],
  );
  assert.equal(frameAt(end, 0), 0);
  assert.equal(frameAt(end, 2.01), 0);
  assert.equal(frameAt(end, 2.02), 1);
  assert.equal(frameAt(end, 2.0601), null);
  assert.equal(frameAt(new Float64Array(), 1), null);
});

test("no spike vanishes, however few columns there are", () => {
  const end = Array.from({ length: 1000 }, (_, i) => (i + 1) / 100);
  const frames = readFrames(
    answer(
      true,
      end,
      end.map((_, i) => (i === 637 ? 90 : 10)),
    ),
  );
  for (const width of [10, 100, 2000]) {
    const points = polyline(frames, 0, 10, width, (ms) => ms);
    assert.ok(points.length <= 2 * (width + 1));
    assert.equal(Math.max(...points.map(([, y]) => y)), 90);
    assert.equal(Math.min(...points.map(([, y]) => y)), 10);
  }
  assert.equal(longest([frames, undefined], 0, 10), 90);
  assert.equal(longest([frames], 0, 5), 10);
});

test("stretches keep their shortest and their longest frame apart", () => {
  const frames = readFrames(answer(false, [1, 2], [8, 9], [30, 12]));
  assert.deepEqual([[...frames.low], [...frames.high], frames.exact], [[8, 9], [30, 12], false]);
  const ys = polyline(frames, 0, 2, 400, (ms) => ms).map(([, y]) => y);
  assert.deepEqual(ys, [8, 30, 9, 12]);
});

test("small moves of the zoom ask the server for nothing new", () => {
  const asked = snapped({ from: 10.1, to: 12 });
  assert.deepEqual(snapped({ from: 10.2, to: 12.1 }), asked);
  assert.ok(asked.from <= 10.1 && asked.to >= 12.1);
  assert.notDeepEqual(snapped({ from: 30, to: 32 }), asked);
});

test("errors of the API keep their facts, and others still say something", () => {
  const problem = problemOf({ code: "negative", message: "no", row: 12, line: 13, hint: "look" }, 422);
  assert.ok(problem instanceof Problem);
  assert.deepEqual([problem.code, problem.row, problem.line, problem.hint], ["negative", 12, 13, "look"]);
  assert.equal(problemOf("<html>", 502).message, "The server answered with 502.");
  assert.equal(problemOf(null, 500).code, "unknown");
});
