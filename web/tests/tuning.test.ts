/** What a tuning log asks for next, and how its picture writes numbers that lie close. */
import { expect, test } from "vitest";
import type { Log, Step } from "../src/api/tuning";
import { pointsOf, WATTS } from "../src/charts/kinds/TuningPicture";
import { instructionOf } from "../src/places/tuning/instruction";

const SETTING = {
  name: "Core voltage",
  unit: "mV",
  kind: "voltage",
  stock: 0,
  resolution: 5,
  harder: "down",
  limit_low: -200,
  limit_high: 0,
  limit_source: "manual",
  limit_day: null,
  caution: "Stay within the limit.",
};

const step = (part: Partial<Step> = {}): Step =>
  ({
    id: 1,
    number: 1,
    set: { "Core voltage": -20 },
    read_back: {},
    words: "Core voltage -20 mV",
    state: "unproven",
    minutes: 0,
    why_unstable: "",
    beyond_a_failure: false,
    passes: [],
    runs: [],
    fps: null,
    w: null,
    ...part,
  }) as unknown as Step;

const log = (steps: Step[], part: Partial<Log> = {}): Log =>
  ({
    settings: [SETTING],
    steps,
    stability_min: 60,
    simulated: false,
    next: { setting: "Core voltage", value: -40, why: "again", words: "Next: Core voltage -40 mV (again)." },
    ...part,
  }) as unknown as Log;

const READ = { read_back: { "Core voltage": -20 } };
const QUICK = { struck: "", fps: 80 } as unknown as Step["passes"][number];

test("a step is set, read back, tested and measured before the next is asked for", () => {
  const asked = (...steps: Step[]) => instructionOf(log(steps)).kind;
  expect(asked()).toBe("step");
  expect(asked(step())).toBe("read");
  expect(asked(step(READ))).toBe("test");
  expect(asked(step({ ...READ, minutes: 60, state: "proven" }))).toBe("figures");
  expect(asked(step({ ...READ, minutes: 60, state: "proven", passes: [QUICK] }))).toBe("step");
  expect(asked(step({ ...READ, minutes: 60, passes: [{ ...QUICK, struck: "mara: a slip" }] }))).toBe(
    "figures",
  );
});

test("a step that failed asks for nothing more, and says how", () => {
  const told = instructionOf(
    log([step({ state: "unstable", why_unstable: "crashed after 7 minutes of x" })]),
  );
  expect(told.kind).toBe("step");
  expect(told.label).toContain("crashed after 7 minutes of x");
  expect(told.words).toBe("Set Core voltage to -40 mV");
  expect(told.caution).toBe("Stay within the limit.");
});

test("how much of a test is left is told, and where nothing is proposed, why", () => {
  expect(instructionOf(log([step({ ...READ, minutes: 42.5 })])).words).toBe("Test it: 17.5 more minutes");
  const next = {
    setting: null,
    value: null,
    why: "at_limit",
    words: "Nothing is proposed: it stands at the limit.",
  };
  const told = instructionOf(
    log([step({ ...READ, minutes: 60, state: "proven", passes: [QUICK] })], { next } as Partial<Log>),
  );
  expect([told.words, told.why]).toEqual(["Nothing is proposed", "It stands at the limit."]);
});

test("what a step did not set is at stock; over watts only what has both figures has a place", () => {
  const both = step({ id: 2, number: 2, set: {}, fps: 80, w: 120 });
  const points = pointsOf(log([step({ fps: 81 }), both]), "Core voltage");
  expect(points.map((one) => one.x)).toEqual([-20, 0]);
  expect(pointsOf(log([step({ fps: 81 }), both]), WATTS).map((one) => one.step.number)).toEqual([2]);
});
