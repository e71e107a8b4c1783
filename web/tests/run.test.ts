import assert from "node:assert/strict";
import { test } from "vitest";
import { Problem, type Schemas } from "../src/api/client";
import { type Act, Outbox, type Run, type Told } from "../src/places/run/outbox";
import { countdown, goOnWords, instructionOf, newer, viewOf } from "../src/places/run/view";

const question: Schemas["QuestionOut"] = {
  setting: "Power limit",
  wanted: "160 W",
  where: "the sensor program",
  choices: ["110 W", "160 W"],
  shows: null,
};

function step(kind: Schemas["StepOut"]["kind"], key: string, more: Partial<Schemas["StepOut"]> = {}) {
  return {
    key,
    pass_id: 7,
    kind,
    title: "Set",
    words: "set it",
    caution: "",
    seconds: 30,
    cost: "",
    question: null,
    run: 0,
    runs: 0,
    place: 1,
    of: 4,
    ...more,
  };
}

const coming = {
  pass_id: 7,
  lane: "160 W",
  lane_id: 1,
  lane_position: 0,
  test_id: 1,
  number: 1,
  of: 3,
  role: "counted",
  after_load: true,
  card: {
    game: "Ninth Ferry",
    scene: "harbour",
    kind: "route",
    condition: "high",
    resolution: "",
    settings: "",
    start: "pier 3",
    route: "",
    end: "",
    length_s: 30,
  },
};

function run(more: Partial<Run> = {}): Run {
  return {
    study_id: 1,
    question: "?",
    number: 5,
    now: "2026-11-28T01:00:00Z",
    me: "tomke",
    may_run: true,
    why_not: "",
    may_simulate: true,
    session: {
      id: 1,
      machine: "left machine",
      lanes: [],
      begun_at: "2026-11-28T00:50:00Z",
      ended_at: null,
      begun_by: "tomke",
      driver: "tomke",
      room_c: null,
      notes: "",
      simulated: false,
      speed: 1,
      passes: 0,
    },
    others: [],
    machines: [],
    lanes: [],
    earlier: [],
    driving: true,
    paused: false,
    steps: [
      step("change", "7.0"),
      step("read_back", "7.1", { question }),
      step("warm_up", "7.2"),
      step("pass", "7.3"),
    ],
    coming: [coming],
    under_way: null,
    verdict: null,
    last: null,
    mismatch: null,
    tray: [],
    progress: {
      run: 0,
      left: 6,
      used_s: 0,
      left_s: 600,
      behind_s: 0,
      ends: null,
      deadline: null,
      late: false,
      dropped: [],
    },
    outcomes: [],
    ...more,
  };
}

const NOW = Date.parse("2026-11-28T01:00:00Z");

function act(kind: Told["kind"], more: Partial<Act> = {}): Act {
  return { id: `${kind}-${more.step ?? more.pass_id ?? ""}`, at: "2026-11-28T01:00:00Z", kind, ...more };
}

const verdict: NonNullable<Run["verdict"]> = {
  pass_id: 7,
  lane: "160 W",
  test: "Ninth Ferry, harbour",
  number: 1,
  average_fps: 81,
  low_1_fps: 60,
  file_name: "a",
  sentence: "",
  doubted: false,
  doubts: [],
  told_by_file: [],
  simulated: false,
};

test("what waits in the browser is shown as done", () => {
  const kinds = (pending: Act[]) => {
    const found = instructionOf(viewOf(run(), pending, 0), NOW + 1000);
    return found.kind === "step" ? found.step.key : found.kind;
  };
  assert.equal(kinds([]), "7.0");
  const done = act("done", { step: "7.0" });
  assert.equal(kinds([done]), "7.1");
  const right = act("read_back", { step: "7.1", seen: " 160w" });
  assert.equal(kinds([done, right]), "7.2");
  assert.equal(kinds([done, act("read_back", { step: "7.1", seen: "110 W" })]), "mismatch", "said at once");
  assert.equal(kinds([done, right, act("began", { step: "7.2", pass_id: 7, warm_up: true })]), "running");
  assert.equal(kinds([done, right, act("done", { step: "7.2" })]), "7.3");
  assert.equal(kinds([act("paused")]), "paused");
  assert.equal(kinds([act("paused"), act("resumed")]), "7.0");
});

test("a run is counted down by the clock of the server", () => {
  const under_way = {
    pass_id: 7,
    step: "7.3",
    warm_up: false,
    began_at: "2026-11-28T01:00:00Z",
    ended_at: null,
    says: "",
    refused: "",
    late_after_s: 9,
  };
  // This browser's clock is ten seconds behind the server's.
  const found = instructionOf(viewOf(run({ under_way }), [], 10_000), NOW - 10_000 + 12_000);
  assert.equal(found.kind, "running");
  assert.equal(found.kind === "running" && found.sinceMs, 12_000);
  const quick = run({ under_way });
  if (quick.session) quick.session = { ...quick.session, simulated: true, speed: 10 };
  const sped = instructionOf(viewOf(quick, [], 0), NOW + 1000);
  assert.equal(sped.kind === "running" && sped.wholeMs, 3000, "a simulated bench lives faster");
  const over = instructionOf(viewOf(run({ under_way }), [act("ended", { pass_id: 7 })], 0), NOW + 4000);
  assert.equal(over.kind === "waiting" && over.sinceMs, 4000);
  assert.equal(goOnWords(over), "the capture is on its way", "nobody throws it away by a key pressed twice");
  const late = instructionOf(viewOf(run({ under_way }), [act("ended", { pass_id: 7 })], 0), NOW + 30_000);
  assert.equal(goOnWords(late), "run it again");
  const refused = run({ under_way: { ...under_way, refused: "no header" } });
  const told = instructionOf(viewOf(refused, [act("ended", { pass_id: 7 })], 0), NOW + 2_000);
  assert.equal(goOnWords(told), "run it again", "what came is no capture");
});

test("an answer that was overtaken undoes nothing", () => {
  const late = newer({ run: run({ number: 12 }), aheadMs: 5 }, run({ number: 11 }), NOW);
  assert.equal(late.run.number, 12);
  assert.equal(newer(late, run({ number: 13 }), NOW).run.number, 13);
});

test("one thing at a time, the most pressing first", () => {
  const mismatch = {
    act: 4,
    step: "7.1",
    pass_id: 7,
    setting: "Power limit",
    wanted: "160 W",
    seen: "110 W",
    worth: "",
  };
  const kind = (more: Partial<Run>, pending: Act[] = []) =>
    instructionOf(viewOf(run(more), pending, 0), NOW).kind;
  assert.equal(kind({ session: null }), "begin");
  assert.equal(kind({ verdict, mismatch }), "verdict");
  assert.equal(kind({ verdict, mismatch }, [act("accepted", { pass_id: 7 })]), "mismatch");
  assert.equal(kind({ mismatch }, [act("anyway", { step: "7.1" })]), "step");
  assert.equal(kind({ steps: [], progress: { ...run().progress, left: 0 } }), "finished");
  assert.equal(kind({ paused: true, verdict }), "paused");
});

test("the key to go on says what it does", () => {
  const words = (more: Partial<Run>) => goOnWords(instructionOf(viewOf(run(more), [], 0), NOW));
  const firm = { check: "lock", words: "x", weak: false };
  assert.equal(words({ verdict }), "it counts, go on");
  assert.equal(words({ verdict: { ...verdict, doubted: true, doubts: [firm] } }), "repeat it now");
  assert.equal(words({ verdict: { ...verdict, doubts: [{ ...firm, weak: true }] } }), "it counts, go on");
  assert.equal(words({}), "done");
  assert.equal(words({ steps: [step("read_back", "7.1", { question })] }), "press the digit of what it says");
  assert.equal(words({ steps: [step("pass", "7.3")] }), "start the countdown");
  assert.equal(words({ steps: [step("check", "7.3")] }), "it is so");
  assert.equal(words({ session: null }), "begin the session");
});

test("times for two metres", () => {
  assert.deepEqual([0, 400, 32_000, 99_001, 125_000, -50].map(countdown), [
    "0",
    "1",
    "32",
    "1:40",
    "2:05",
    "0",
  ]);
});

const TOMKE = { study: 1, person: "tomke", tab: "a" };
const KEY = "rennbahn.run.1.tomke.a";

/** A browser with its shelf and a server that answers as it is told. */
function bench(kept = new Map<string, string>(), owner = TOMKE) {
  const posts: Act[][] = [];
  const later: (() => void)[] = [];
  const answers: (Error | Partial<Run>)[] = [];
  const renewed: true[] = [];
  let ids = 0;
  const shelf = {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => void kept.set(key, value),
    removeItem: (key: string) => void kept.delete(key),
    key: (at: number) => [...kept.keys()][at] ?? null,
    get length() {
      return kept.size;
    },
  };
  const outbox = new Outbox(owner, {
    shelf,
    post: async (acts) => {
      posts.push(acts);
      const answer = answers.shift();
      if (answer instanceof Error) throw answer;
      const told = acts.map(({ id }) => ({ id, done: true, code: "", message: "", hint: "" }));
      return run({ outcomes: told, ...answer });
    },
    renew: () => void renewed.push(true),
    onRun: () => undefined,
    onChange: () => undefined,
    later: (again) => void later.push(again),
    newId: () => `${owner.tab === "a" ? "" : owner.tab}id-${++ids}`,
    now: () => new Date(NOW),
  });
  return { outbox, posts, later, answers, renewed, shelf: kept };
}

const settled = () => new Promise((resolve) => setTimeout(resolve, 0));
const away = () => new Problem("offline", "The server does not answer.", 0);

test("acts are sent at once and leave the shelf when they are acknowledged", async () => {
  const { outbox, posts, shelf } = bench();
  outbox.add({ kind: "noted", words: "x" });
  await settled();
  assert.equal(posts.length, 1);
  assert.deepEqual(outbox.pending, []);
  assert.equal(shelf.get(KEY), "[]");
});

test("a lost network keeps them in order, also over a reload", async () => {
  const { outbox, answers, later, shelf, posts } = bench();
  answers.push(away(), away(), away());
  for (const words of ["one", "two", "three"]) outbox.add({ kind: "noted", words });
  await settled();
  assert.equal(outbox.hindrance, "away");
  assert.equal(outbox.pending.length, 3);
  assert.equal(JSON.parse(shelf.get(KEY) ?? "[]").length, 3);
  const again = bench(shelf);
  await again.outbox.flush();
  assert.deepEqual(
    again.posts[0]?.map((one) => one.words),
    ["one", "two", "three"],
  );
  assert.deepEqual(
    again.posts[0]?.map((one) => one.id),
    posts
      .flat()
      .slice(0, 1)
      .map((one) => one.id)
      .concat(["id-2", "id-3"]),
    "an act keeps its id, so that the server does it once",
  );
  assert.equal(later.length, 1, "it is tried again by itself, once at a time");
});

test("what the server refuses is told and stops no other", async () => {
  const { outbox, answers } = bench();
  answers.push({
    outcomes: [{ id: "id-1", done: false, code: "not_driving", message: "mara drives", hint: "v" }],
  });
  outbox.add({ kind: "done", step: "7.0", pass_id: 7 });
  await settled();
  assert.deepEqual(outbox.pending, []);
  assert.deepEqual(
    outbox.refusals.map((one) => one.message),
    ["mara drives"],
  );
  outbox.forgetRefusals();
  assert.deepEqual(outbox.refusals, []);
});

test("a batch that is refused as a whole is sent one by one", async () => {
  const { outbox, answers, posts, later } = bench();
  answers.push(away(), away(), away());
  outbox.add({ kind: "noted", words: "good" });
  await settled();
  outbox.add({ kind: "room", room_c: 900 });
  await settled();
  outbox.add({ kind: "noted", words: "also good" });
  await settled();
  answers.length = 0;
  const invalid = () => new Problem("invalid", "room_c: at most 60.", 422);
  answers.push(invalid(), {}, invalid(), invalid(), {});
  for (const again of later.splice(0)) again();
  for (let turn = 0; turn < 8; turn++) await settled();
  assert.deepEqual(outbox.pending, []);
  assert.deepEqual(
    outbox.refusals.map((one) => one.act.kind),
    ["room"],
  );
  assert.ok(posts.some((acts) => acts.length === 1 && acts[0]?.words === "also good"));
});

test("a shelf that holds nonsense holds nothing", () => {
  for (const text of ["{", "7", '[{"x": 1}]', "null"]) {
    assert.deepEqual(bench(new Map([[KEY, text]])).outbox.pending, []);
  }
});

test("whoever signs in next neither sends nor sees what another did", async () => {
  const first = bench();
  first.answers.push(away());
  first.outbox.add({ kind: "noted", words: "tomke's" });
  await settled();
  assert.deepEqual(bench(first.shelf, { ...TOMKE, person: "mara" }).outbox.pending, []);
  // The same person in another tab takes over what the first left, once.
  const again = bench(first.shelf, { ...TOMKE, tab: "b" });
  assert.deepEqual(
    again.outbox.pending.map((one) => one.words),
    ["tomke's"],
  );
  assert.deepEqual([...first.shelf.keys()], ["rennbahn.run.1.tomke.b"]);
});

test("signed out, without a right, gone and somebody else's are told apart", async () => {
  const { outbox, answers, later, shelf } = bench();
  answers.push(new Problem("not_signed_in", "Sign in first.", 401));
  outbox.add({ kind: "noted", words: "kept" });
  await settled();
  assert.equal(outbox.hindrance, "signed-out");
  assert.equal(outbox.pending.length, 1, "it is kept for whoever signs in again");
  assert.equal(later.length, 0, "and not sent again and again");
  assert.equal(JSON.parse(shelf.get(KEY) ?? "[]").length, 1);
  for (const [status, words] of [
    [403, "Testers run passes."],
    [404, "There is no such study."],
    [409, "It is somebody else's by now."],
  ] as const) {
    answers.push(new Problem("not_allowed", words, status));
    if (outbox.pending.length) await outbox.flush();
    else outbox.add({ kind: "noted", words: "next" });
    await settled();
    assert.equal(outbox.hindrance, "");
    assert.deepEqual(outbox.pending, []);
    assert.equal(outbox.refusals.at(-1)?.message, words);
  }
});

test("a page whose token is stale asks who is signed in, and loses nothing", async () => {
  const { outbox, answers, later, renewed } = bench();
  answers.push(new Problem("refused", "CSRF check failed", 403));
  outbox.add({ kind: "noted", words: "kept" });
  await settled();
  assert.equal(renewed.length, 1);
  assert.equal(outbox.pending.length, 1);
  for (const again of later.splice(0)) again();
  await settled();
  assert.deepEqual(outbox.pending, []);
  assert.deepEqual(outbox.refusals, []);
});

test("what reads back otherwise is said without the server, and asked again", () => {
  const seen = (value: string) => act("read_back", { step: "7.1", pass_id: 7, seen: value });
  const wrong = viewOf(run({ steps: [step("read_back", "7.1", { question })] }), [seen("110 W")], 0);
  const found = instructionOf(wrong, NOW);
  assert.equal(
    found.kind === "mismatch" && found.mismatch.worth.startsWith("Power limit was to be 160 W"),
    true,
  );
  const right = viewOf(
    run({ steps: [step("read_back", "7.1", { question }), step("pass", "7.3")] }),
    [seen("110 W"), seen("160 W")],
    0,
  );
  assert.equal(instructionOf(right, NOW).kind, "step");
});

test("a warm-up waits for its file, and a key goes on without", () => {
  const under_way = {
    pass_id: 7,
    step: "7.2",
    warm_up: true,
    began_at: "2026-11-28T00:59:00Z",
    ended_at: "2026-11-28T00:59:58Z",
    says: "",
    refused: "",
    late_after_s: 9,
  };
  const found = instructionOf(viewOf(run({ under_way }), [], 0), NOW);
  assert.equal(found.kind, "waiting");
  assert.equal(goOnWords(found), "go on without its file");
  const on = instructionOf(viewOf(run({ under_way }), [act("done", { step: "7.2", pass_id: 7 })], 0), NOW);
  assert.equal(on.kind, "step");
});
