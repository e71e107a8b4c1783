import assert from "node:assert/strict";
import { test } from "vitest";
import { paintColumns, rgbOf } from "../src/charts/painting";
import type { Layers } from "../src/charts/TraceOverlay";
import { columnsOf, countWithin } from "../src/charts/traces";
import type { Frames, Trace } from "../src/model/frames";
import {
  bandOf,
  evidenceOf,
  MOST_TRACES,
  marksOf,
  marksText,
  offsetsOf,
  overEachOther,
} from "../src/places/passes/alignment";
import { delivered, standingAt } from "../src/places/passes/delivery";
import { pathsOf } from "../src/places/passes/marks";
import * as M from "../src/places/passes/matrix";
import { textOf, zoomOf } from "../src/places/passes/useZoom";

const tests = ["Moss Republic", "Ninth Ferry", "Glass Caravan"].map((game, position) => ({
  id: 10 + position,
  position,
  game,
  scene: "harbour",
  condition: "1440 high",
})) as unknown as Parameters<typeof M.rowsOf>[0];
const lanes = ["plain fins", "tall fins"].map((name, position) => ({
  id: 1 + position,
  position,
  name,
})) as unknown as Parameters<typeof M.rowsOf>[1];

let last = 0;
function pass(test_id: number, lane_id: number, state: string, more: Partial<M.Pass> = {}): M.Pass {
  last += 1;
  return { id: last, test_id, lane_id, number: 1, state, role: "counted", ...more } as M.Pass;
}

function doubt(pass_id: number, check: string, more: Partial<M.PassDoubt> = {}): M.PassDoubt {
  return { pass_id, check, words: "", weak: false, evidence: {}, window: null, settled: null, ...more };
}

const nothing: M.Doubts = { passes: [], wide: [], repeats: [], odd: [], last: null, checking: false };
const settled = {
  how: "accepted",
  done: true,
  words: "Accepted anyway",
  reason: "known",
  by: "mara",
  at: "",
};

test("a mark says how a pass stands, and a sure doubt shows on whatever counts", () => {
  const own = pass(10, 1, "accepted");
  assert.equal(M.markOf(own, 0, false), "accepted");
  assert.equal(M.markOf(own, 0, true), "odd");
  assert.equal(M.markOf(own, 1, true), "doubted");
  assert.equal(M.markOf(pass(10, 1, "recorded"), 0, false), "waits");
  assert.equal(M.markOf(pass(10, 1, "rejected"), 2, false), "rejected");
});

test("what is settled stands no longer, what waits for its repeat still does", () => {
  const one = pass(10, 1, "recorded");
  const doubts = {
    ...nothing,
    passes: [
      doubt(one.id, "lock", { settled }),
      doubt(one.id, "loading", { settled: { ...settled, how: "repeat", done: false } }),
      doubt(one.id, "throttling", { weak: true }),
    ],
  };
  assert.deepEqual(
    M.standing(doubts)
      .get(one.id)
      ?.map((found) => found.check),
    ["loading", "throttling"],
  );
  const [row] = M.rowsOf(tests, lanes, [one], doubts);
  assert.equal(row?.cells[0]?.marks[0]?.mark, "doubted");
  assert.ok(row && row.doubt > 1 && row.doubt < 1.2, "an unsure doubt weighs little");
});

test("a doubt about a lane marks all its passes until it is settled", () => {
  const two = [pass(11, 2, "recorded"), pass(12, 2, "accepted")];
  const wide = {
    key: "order",
    check: "order",
    words: "",
    weak: false,
    evidence: {},
    marks: true,
    pass_ids: two.map((one) => one.id),
    settled: null,
  };
  const marks = (doubts: M.Doubts) => M.counted(M.rowsOf(tests, lanes, two, doubts)).doubted;
  assert.equal(marks({ ...nothing, wide: [wide] }), 2);
  assert.equal(marks({ ...nothing, wide: [{ ...wide, settled }] }), 0);
  assert.equal(marks({ ...nothing, wide: [{ ...wide, weak: true }] }), 0);
  assert.equal(marks({ ...nothing, wide: [{ ...wide, marks: false }] }), 0, "a scene's card is no pass");
});

const many = [
  pass(10, 1, "accepted"),
  pass(10, 1, "accepted", { number: 2 }),
  pass(10, 2, "recorded"),
  pass(11, 1, "planned"),
  pass(11, 2, "recorded"),
  pass(12, 2, "did_not_run"),
];
const doubted = { ...nothing, passes: [doubt(many[4]?.id ?? 0, "lock"), doubt(many[1]?.id ?? 0, "cut_log")] };
const rows = M.rowsOf(tests, lanes, many, doubted);

test("rows stand by plan, by doubt or by what waits", () => {
  const games = (order: M.Order) => M.ordered(rows, order).map((row) => row.test.id);
  assert.deepEqual(games("plan"), [10, 11, 12]);
  assert.deepEqual(games("doubt"), [10, 11, 12]);
  assert.deepEqual(games("waiting"), [10, 11, 12]);
  const only = M.rowsOf(tests, lanes, many, { ...nothing, passes: [doubt(many[4]?.id ?? 0, "lock")] });
  assert.deepEqual(
    M.ordered(only, "doubt").map((row) => row.test.id),
    [11, 10, 12],
  );
});

test("typing finds games, lanes, states and checks, together in one pass", () => {
  const found = (text: string) => {
    const shown = M.matching(rows, text);
    return [shown.rows.map((row) => row.test.id), shown.meant && [...shown.meant]];
  };
  assert.deepEqual(found("ferry"), [[11], null]);
  assert.deepEqual(found("lock"), [[11], [many[4]?.id]]);
  assert.deepEqual(found("tall decide"), [[10], [many[2]?.id]]);
  assert.deepEqual(found("plain lock"), [[], null], "not the lane of one and the check of another");
  assert.deepEqual(found("did not run"), [[12], [many[5]?.id]]);
  assert.deepEqual(found(""), [[10, 11, 12], null]);
});

test("arrows walk pass by pass and stop at the edges", () => {
  const at = { row: 0, lane: 0, pass: 0 };
  assert.deepEqual(M.moved(rows, at, "right"), { row: 0, lane: 0, pass: 1 });
  assert.deepEqual(M.moved(rows, { ...at, pass: 1 }, "right"), { row: 0, lane: 1, pass: 0 });
  assert.deepEqual(M.moved(rows, { row: 0, lane: 1, pass: 0 }, "right"), { row: 0, lane: 1, pass: 0 });
  assert.deepEqual(M.moved(rows, { row: 0, lane: 1, pass: 0 }, "left"), { row: 0, lane: 0, pass: 1 });
  assert.deepEqual(M.moved(rows, at, "left"), at);
  assert.deepEqual(M.moved(rows, { ...at, pass: 1 }, "down"), { row: 1, lane: 0, pass: 0 });
  assert.deepEqual(M.moved(rows, at, "up"), at);
  assert.deepEqual(M.moved(rows, at, "lane_right"), { row: 0, lane: 1, pass: 0 });
  assert.deepEqual(M.moved(rows, at, "last"), { row: 2, lane: 0, pass: 0 });
  assert.deepEqual(M.moved([], at, "down"), at);
});

test("the next doubt is found from anywhere, round and round", () => {
  const first = { row: 0, lane: 0, pass: 1 };
  const second = { row: 1, lane: 1, pass: 0 };
  assert.deepEqual(M.nextDoubt(rows, { row: 0, lane: 0, pass: 0 }, 1), first);
  assert.deepEqual(M.nextDoubt(rows, first, 1), second);
  assert.deepEqual(M.nextDoubt(rows, second, 1), first);
  assert.deepEqual(M.nextDoubt(rows, first, -1), second);
  assert.deepEqual(M.nextDoubt(rows, { row: 2, lane: 1, pass: 0 }, -1), second);
  assert.equal(M.nextDoubt(M.rowsOf(tests, lanes, many, nothing), first, 1), null);
  assert.deepEqual(M.placeOf(rows, many[4]?.id ?? 0), second);
  assert.equal(M.placeOf(rows, 9999), null);
});

test("a cell says in words what its marks show", () => {
  const [row] = rows;
  const [cell] = row?.cells ?? [];
  assert.ok(row && cell);
  assert.equal(
    M.cellWords(row, cell),
    "Moss Republic, harbour, plain fins: pass 1 accepted; pass 2 doubted by cut log",
  );
  const empty = rows[2]?.cells[0];
  assert.ok(empty && rows[2]);
  assert.match(M.cellWords(rows[2], empty), /no pass$/);
  assert.deepEqual(
    pathsOf(cell.marks, 13).map(([mark]) => mark),
    ["accepted", "doubted"],
  );
});

test("at most twelve traces lie over each other, the chosen lane and pass among them", () => {
  const traces = Array.from({ length: 30 }, (_, i) => ({
    pass_id: i,
    lane_id: Math.floor(i / 3),
    number: (i % 3) + 1,
  }));
  const chosen = pass(10, 2, "recorded", { id: 7 });
  assert.deepEqual(
    overEachOther(traces, chosen, "lane").map((one) => one.pass_id),
    [6, 7, 8],
  );
  const all = overEachOther(traces, chosen, "all");
  assert.equal(all.length, MOST_TRACES);
  assert.deepEqual(
    all.slice(0, 5).map((one) => one.pass_id),
    [6, 7, 8, 0, 3],
    "then the first pass of each other lane",
  );
  const long = Array.from({ length: 20 }, (_, i) => ({ pass_id: i, lane_id: 2, number: i }));
  assert.ok(overEachOther(long, { ...chosen, id: 19 }, "lane").some((one) => one.pass_id === 19));
});

test("traces are laid by their starts, by marks or by agreement, and none before the picture begins", () => {
  const marks = marksOf("1:3.5,2:5,x:1,3:");
  assert.deepEqual(
    [...marks],
    [
      [1, 3.5],
      [2, 5],
      [3, 0],
    ],
  );
  assert.equal(marksText(new Map([[1, 3.5]])), "1:3.500");
  const best = new Map([[2, 0.4]]);
  assert.deepEqual([...offsetsOf([1, 2], 1, "start", marks, best).values()], [0, 0]);
  assert.deepEqual([...offsetsOf([1, 2], 1, "mark", marks, best).values()], [1.5, 0]);
  assert.deepEqual([...offsetsOf([1, 2], 1, "best", marks, best).values()], [0, 0.4]);
  assert.deepEqual(
    [...offsetsOf([1, 4], 1, "mark", marks, best).values()],
    [0, 0],
    "one without a mark stays",
  );
});

test("what a check goes by is drawn on the clock of the whole capture", () => {
  const layers = (course_ms: number[]) => ({ course_every_s: 0.5, course_ms }) as Layers;
  const siblings = [
    { layers: layers([10, 11, 12]), trace: {} as Trace },
    { layers: layers([9, 12]), trace: {} as Trace },
  ];
  const band = bandOf(siblings.flatMap((one) => one.layers));
  assert.deepEqual(band, { everyS: 0.5, low: [9, 11, 12], high: [10, 12, 12] });
  assert.equal(bandOf([]), null);
  const found = evidenceOf([doubt(1, "loading", { window: [4, 30] })], [[2, 40]], siblings);
  assert.deepEqual([found.window, found.lockFps, found.band], [[6, 32], null, null]);
  const held = evidenceOf([doubt(1, "lock", { evidence: { lock_fps: 60 } })], [], siblings);
  assert.deepEqual([held.window, held.lockFps], [null, 60]);
  assert.deepEqual(evidenceOf([doubt(1, "off_siblings")], [], siblings).band, band);
});

test("a frame stands from when it is delivered until the next one is", () => {
  const ms = [10, 20, 30, 10];
  let clock = 0;
  const end = Float64Array.from(ms, (one) => {
    clock += one / 1000;
    return clock;
  });
  const frames: Frames = { end, low: Float64Array.from(ms), high: Float64Array.from(ms), exact: true };
  assert.equal(standingAt(frames, 0.005).index, -1);
  assert.deepEqual(standingAt(frames, 0.01), { index: 0, sinceS: 0.01 });
  assert.equal(standingAt(frames, 0.0299).index, 0);
  assert.equal(standingAt(frames, 0.031).index, 1);
  assert.equal(standingAt(frames, 9).index, 3);
  assert.equal(delivered(frames, 0.01, 0.06).length, 3);
  assert.deepEqual(delivered(frames, 0.5, 1), []);
});

test("columns hold every spike, and meet however close one looks", () => {
  const ms = Array.from({ length: 1000 }, (_, i) => (i === 500 ? 90 : 10));
  let clock = 0;
  const end = Float64Array.from(ms, (one) => {
    clock += one / 1000;
    return clock;
  });
  const values = Float64Array.from(ms);
  const frames: Frames = { end, low: values, high: values, exact: true };
  const far = columnsOf(frames, 0, clock, 50);
  assert.equal(Math.max(...far.high), 90);
  assert.equal(Math.min(...far.low), 10);
  const near = columnsOf(frames, 4.9, 5.2, 300);
  assert.ok(
    near.high.every((value) => !Number.isNaN(value)),
    "no gap between two frames",
  );
  assert.equal(Math.max(...near.high), 90);
  for (let at = 1; at < 300; at++)
    assert.ok(
      (near.low[at] ?? 0) <= (near.high[at - 1] ?? 0) + 1e-9 &&
        (near.high[at] ?? 0) >= (near.low[at - 1] ?? 0) - 1e-9,
    );
  assert.ok(columnsOf(frames, 20, 30, 10).low.every(Number.isNaN), "nothing beyond the end");
  assert.equal(countWithin(frames, 0, clock), 1000);
});

test("columns are mixed with what lies beneath, and stay within the picture", () => {
  const pixels = new Uint8ClampedArray(4 * 4 * 10);
  const columns = {
    low: Float64Array.of(2, Number.NaN, 5, -40),
    high: Float64Array.of(4, Number.NaN, 5, 400),
  };
  paintColumns(pixels, 4, 10, columns, (value) => 10 - value, rgbOf("#ff0000"), 1, 1.4);
  const alpha = (column: number) =>
    Array.from({ length: 10 }, (_, row) => pixels[4 * (row * 4 + column) + 3]);
  assert.deepEqual(alpha(0), [0, 0, 0, 0, 0, 0, 255, 255, 0, 0]);
  assert.deepEqual(alpha(1), Array(10).fill(0));
  assert.equal(alpha(2).filter(Boolean).length, 1, "a flat line is still seen");
  assert.deepEqual(alpha(3), Array(10).fill(255));
  paintColumns(pixels, 4, 10, columns, (value) => 10 - value, rgbOf("#0000ff"), 0.5, 1.4);
  const at = 4 * (6 * 4);
  assert.deepEqual([...pixels.slice(at, at + 4)], [128, 0, 128, 255]);
  assert.deepEqual(rgbOf("nonsense"), [0, 0, 0]);
});

test("a stretch lives in the address, and nonsense is none", () => {
  assert.deepEqual(zoomOf(textOf({ from: 1.25, to: 3 })), { from: 1.25, to: 3 });
  assert.equal(textOf(null), "");
  for (const text of ["", "3-1", "a-b", "5"]) assert.equal(zoomOf(text), null);
});
