import assert from "node:assert/strict";
import { test } from "vitest";
import { someTraces, typical } from "../src/places/passes/printing";
import { channelsText, drawnTraces, layersText, middleOf, viewIn } from "../src/places/passes/traceView";

const view = (address: string) => viewIn(new URLSearchParams(address));

test("an address that says nothing, or nothing that is known, shows the traces as at first", () => {
  for (const address of ["", "over=everything&align=somehow&shape=round"]) {
    const { over, align, shape, marks, layers, channels } = view(address);
    assert.deepEqual([over, align, shape], ["lane", "start", "curve"]);
    assert.deepEqual([...layers], ["stutters", "pauses", "cap", "heartbeat"]);
    assert.deepEqual([marks.size, channels], [0, []]);
  }
  assert.equal(view("layers=unheard,cap").layers.size, 1);
});

test("what an address says is what its texts said", () => {
  const all = view(
    "over=all&align=best&shape=steps&marks=4:2.5&layers=low%201%25&samples=card_watts,fan_rpm",
  );
  assert.deepEqual([all.over, all.align, all.shape], ["all", "best", "steps"]);
  assert.equal(all.marks.get(4), 2.5);
  assert.equal(layersText(all.layers, "cap"), "cap,low 1%");
  assert.equal(layersText(all.layers, "low 1%"), "none");
  assert.equal(view("layers=none").layers.size, 0);
  assert.equal(channelsText(all.channels, "fan_rpm"), "card_watts");
  assert.equal(channelsText(all.channels, "noise"), "card_watts,fan_rpm,noise");
});

test("a trace is named by its lane and number, moved by its offset, and marked in its own clock", () => {
  const sent = {
    pass_id: 7,
    lane_id: 3,
    number: 2,
    frames: 3000,
    state: "rejected",
    capture_id: 70,
    key: "k",
    basis: "b",
    length_s: 30,
    windows: [],
    curve_ms: [8, 9],
  };
  const lanes = [{ id: 3, name: "quick fins", position: 1 }] as unknown as Parameters<typeof drawnTraces>[1];
  const [trace] = drawnTraces([sent], lanes, new Map([[7, 2]]));
  assert.ok(trace);
  assert.deepEqual([trace.label, trace.lane, trace.dashed, trace.offsetS], ["quick fins 2", 1, true, 2]);
  assert.equal(middleOf([trace], 7, { from: 4, to: 10 }), 5);
  assert.equal(middleOf([trace], 7, null), 14);
  assert.equal(middleOf([trace], 7, { from: 0, to: 2 }), 0);
});

test("of each lane the chosen pass is kept, else the middle one of those that count", () => {
  const pass = (id: number, lane_id: number, average_fps: number, state = "accepted") =>
    ({ id, lane_id, state, figures: { average_fps } }) as unknown as Parameters<typeof typical>[0][number];
  const passes = [pass(1, 1, 60), pass(2, 1, 80), pass(3, 1, 70), pass(4, 2, 50, "recorded"), pass(5, 2, 90)];
  const laid = passes.map(({ id, lane_id }) => ({
    key: id,
    laneId: lane_id,
    dashed: false,
  })) as unknown as Parameters<typeof typical>[1];
  assert.deepEqual(typical(passes, laid, undefined), [3, 5]);
  assert.deepEqual(typical(passes, laid, passes[3]), [3, 4]);
  assert.deepEqual(typical(passes, laid.slice(0, 3), undefined), [3]);
  const many = Array.from({ length: 9 }, (_, lane) => pass(10 + lane, 10 + lane, 60));
  const traces = many.map(({ id, lane_id }) => ({ key: id, laneId: lane_id, label: `${id}`, offsetS: 0 }));
  const { first, most } = someTraces(1, many, traces as unknown as typeof laid, many[8], null);
  assert.equal(first.length, most);
  assert.ok(first.includes("18"));
});
