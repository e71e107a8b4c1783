/** What is asked about before a study is finished. */
import assert from "node:assert/strict";
import { test } from "vitest";
import type { Study } from "../src/model/study";
import { wantingOf } from "../src/places/findings/Bar";
import { findings } from "./findings";

const ready = { ready_at: "2026-11-30T10:00:00Z" } as Study;

test("a study that is in order is finished without a question", () => {
  assert.deepEqual(wantingOf(ready, { ...findings(), caveats: [], missing: [] }), []);
});

test("what is not ready, not accepted by anybody or not all run is named", () => {
  const caveat = { label: "Room", about: "22 °C / 29 °C", reason: "", weight: "mind", accepted: false };
  const lacking = { test_id: 1, lane_id: 2, test: "x", lane: "y", accepted: 1, passes_wanted: 3 };
  const found = wantingOf({ ready_at: null } as Study, {
    ...findings(),
    caveats: [caveat, { ...caveat, label: "Driver", accepted: true }],
    missing: [lacking, { ...lacking, lane_id: 3 }],
  });
  assert.deepEqual(found, [
    "Nobody has called its plan ready.",
    "Room: 22 °C / 29 °C. Nobody has accepted it.",
    "2 cells lack accepted passes in the tests that are looked at.",
  ]);
});
