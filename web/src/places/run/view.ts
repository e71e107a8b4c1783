import type { Schemas } from "../../api/client";
import type { Act, Run } from "./outbox";

export type Step = Schemas["StepOut"];
export type Coming = Schemas["ComingOut"];

/** A run under way, by this browser's clock. */
export interface UnderWay {
  passId: number;
  step: string;
  warmUp: boolean;
  beganMs: number;
  endedMs: number | null;
  says: string;
  refused: string;
  /** From how long after its end on its file is late: learned of this bench. */
  lateAfterMs: number;
}

/** From when on a file is late where the server has not said yet. */
const LATE_MS = 12_000;

/** How the bench stands: what the server said last, with what waits in the browser already done. */
export interface View {
  run: Run;
  steps: Step[];
  underWay: UnderWay | null;
  verdict: Run["verdict"];
  mismatch: Run["mismatch"];
  paused: boolean;
  driving: boolean;
}

/** What the server said last, and how far its clock is ahead of this one. */
export interface Held {
  run: Run;
  aheadMs: number;
}

/** Answers overtake each other: one from before what is shown already would undo steps on screen for a moment. */
export function newer(held: Held | null, run: Run, nowMs: number): Held {
  if (held && run.number < held.run.number) return held;
  return { run, aheadMs: Date.parse(run.now) - nowMs };
}

/** Kinds of act that settle the verdict on a pass. */
const WORDS_ON_A_PASS = ["accepted", "left", "rejected", "repeated"];

/**
 * What is shown: acts that the server has not acknowledged yet are taken for done, so that a lost network stops nobody.
 * `aheadMs` is how far the server's clock is ahead of this one.
 */
export function viewOf(run: Run, pending: Act[], aheadMs: number): View {
  const view: View = {
    run,
    steps: run.steps,
    underWay: run.under_way
      ? {
          passId: run.under_way.pass_id,
          step: run.under_way.step,
          warmUp: run.under_way.warm_up,
          beganMs: Date.parse(run.under_way.began_at) - aheadMs,
          endedMs: run.under_way.ended_at ? Date.parse(run.under_way.ended_at) - aheadMs : null,
          says: run.under_way.says,
          refused: run.under_way.refused,
          lateAfterMs: run.under_way.late_after_s * 1000,
        }
      : null,
    verdict: run.verdict,
    mismatch: run.mismatch,
    paused: run.paused,
    driving: run.driving,
  };
  pending.forEach((act, at) => {
    apply(view, act, -1 - at);
  });
  return view;
}

/** `number` tells one act that waits here from another, below those that the server gives. */
function apply(view: View, act: Act, number: number): void {
  const pass = act.pass_id ?? null;
  if (act.kind === "done" || act.kind === "anyway") {
    view.steps = view.steps.filter((step) => step.key !== act.step);
    if (act.kind === "anyway") view.mismatch = null;
    if (view.underWay?.step === act.step) view.underWay = null;
  } else if (act.kind === "read_back") {
    readBack(view, act, number);
  } else if (act.kind === "began" && pass !== null) {
    view.underWay = {
      passId: pass,
      step: act.step ?? "",
      warmUp: act.warm_up ?? false,
      beganMs: Date.parse(act.at),
      endedMs: null,
      says: "",
      refused: "",
      lateAfterMs: LATE_MS,
    };
  } else if (act.kind === "ended" && view.underWay) {
    view.underWay = { ...view.underWay, endedMs: Date.parse(act.at) };
  } else if (act.kind === "aborted") {
    view.underWay = null;
  } else if (act.kind === "skipped" || act.kind === "later") {
    if (view.underWay?.passId === pass) view.underWay = null;
    view.steps = view.steps.filter((step) => step.pass_id !== pass);
  } else if (WORDS_ON_A_PASS.includes(act.kind) && view.verdict?.pass_id === pass) {
    view.verdict = null;
  } else if (act.kind === "paused" || act.kind === "resumed") {
    view.paused = act.kind === "paused";
  } else if (act.kind === "drove") {
    view.driving = true;
  }
}

/** Whether a setting that was seen is what was wanted, said at once; the server looks at units as well. */
function readBack(view: View, act: Act, number: number): void {
  const step = view.steps.find((one) => one.key === act.step);
  if (!step?.question) return;
  const plain = (text: string) => text.replace(/\s+/g, "").toLowerCase();
  const { setting, wanted } = step.question;
  const seen = act.seen ?? "";
  if (plain(wanted) === plain(seen)) {
    view.steps = view.steps.filter((one) => one.key !== act.step);
    view.mismatch = null;
    return;
  }
  view.mismatch = {
    act: number,
    step: step.key,
    pass_id: step.pass_id,
    setting,
    wanted,
    seen,
    worth: seen.trim()
      ? `${setting} was to be ${wanted} and reads ${seen}. A run now would be of something else than this lane.`
      : `${setting} was to be ${wanted} and nobody saw it. A run now would count on trust alone.`,
  };
}

/** What was done, in the words of a refusal. */
const ACT_WORDS: Record<Act["kind"], string> = {
  done: "A step",
  read_back: "What was read back",
  anyway: "Running it anyway",
  began: "The beginning of a run",
  ended: "The end of a run",
  aborted: "Breaking a run off",
  accepted: "Accepting a pass",
  left: "Leaving a pass for the desk",
  rejected: "Rejecting a pass",
  repeated: "Repeating a pass",
  skipped: "Noting that a pass did not run",
  later: "Putting a pass off",
  noted: "A note",
  paused: "A pause",
  resumed: "Going on",
  ordered: "Another order",
  room: "The room",
  drove: "Taking over",
  block: "The next block",
};

/** Which pass that is, as far as it is known here; empty where it is not. */
function namedPass(run: Run, pass: number | null): string {
  const one = run.coming.find((each) => each.pass_id === pass);
  if (one) return `${one.lane}, ${one.card.game}, pass ${one.number}`;
  const last = run.last?.pass_id === pass ? run.last : null;
  return last ? `${last.lane}, ${last.test}, pass ${last.number}` : "";
}

/** The pass that a file of the tray would be. */
export function passWords(view: View, pass: number | null): string {
  if (pass === null) return "no pass is at hand";
  return namedPass(view.run, pass) || "another pass";
}

/** Which act was refused, of which pass. */
export function refusedWords(run: Run, act: Act): string {
  const named = namedPass(run, act.pass_id ?? null);
  const of = named ? ` (${named})` : "";
  const words = act.kind === "noted" && act.words ? `A note, “${act.words}”` : ACT_WORDS[act.kind];
  return `${words}${of} was not taken.`;
}

/** The one thing to do now. */
export type Instruction =
  | { kind: "begin" }
  | { kind: "paused" }
  | { kind: "verdict"; verdict: NonNullable<Run["verdict"]> }
  | {
      kind: "running";
      underWay: UnderWay;
      step: Step | null;
      coming: Coming | null;
      sinceMs: number;
      /** How long the scene takes; null where nobody said and no passes agree: then whoever runs it says when it ends. */
      wholeMs: number | null;
    }
  | { kind: "waiting"; underWay: UnderWay; coming: Coming | null; sinceMs: number; late: boolean }
  | { kind: "mismatch"; mismatch: NonNullable<Run["mismatch"]>; coming: Coming | null }
  | { kind: "step"; step: Step; coming: Coming | null }
  | { kind: "finished" };

export function instructionOf(view: View, nowMs: number): Instruction {
  const { run, underWay } = view;
  if (!run.session) return { kind: "begin" };
  if (view.paused) return { kind: "paused" };
  const comingOf = (pass: number) => run.coming.find((one) => one.pass_id === pass) ?? null;
  if (underWay && underWay.endedMs === null) {
    const step = run.steps.find((one) => one.key === underWay.step) ?? null;
    const coming = comingOf(underWay.passId);
    const length = coming?.card.length_s ?? null;
    const wholeMs = length === null ? null : (length * 1000) / run.session.speed;
    return { kind: "running", underWay, step, coming, wholeMs, sinceMs: nowMs - underWay.beganMs };
  }
  if (view.verdict) return { kind: "verdict", verdict: view.verdict };
  if (underWay && underWay.endedMs !== null) {
    const sinceMs = nowMs - underWay.endedMs;
    const late = sinceMs > underWay.lateAfterMs || !!underWay.says || !!underWay.refused;
    return { kind: "waiting", underWay, coming: comingOf(underWay.passId), sinceMs, late };
  }
  if (view.mismatch)
    return { kind: "mismatch", mismatch: view.mismatch, coming: comingOf(view.mismatch.pass_id) };
  const [step] = view.steps;
  if (!step) return run.progress.left > 0 ? { kind: "paused" } : { kind: "finished" };
  return { kind: "step", step, coming: comingOf(step.pass_id) };
}

/** The pass that a key is about: the one that came in, the one under way, or the next. */
export function passOf(view: View, instruction: Instruction): number | null {
  if (view.verdict) return view.verdict.pass_id;
  if (instruction.kind === "running" || instruction.kind === "waiting") return instruction.underWay.passId;
  return instruction.kind === "step" ? instruction.step.pass_id : null;
}

/** What a step is, above its instruction. */
export const STEP_WORDS: Record<Step["kind"], string> = {
  change: "Change",
  check: "Check",
  read_back: "Read back",
  card: "The scene",
  wait: "Wait",
  warm_up: "Warm-up, not counted",
  pass: "Pass",
};

/** The key to go on, in words, by what it does now. */
export function goOnWords(instruction: Instruction): string {
  if (instruction.kind === "begin") return "begin the session";
  if (instruction.kind === "paused") return "go on";
  if (instruction.kind === "verdict") {
    return instruction.verdict.doubted ? "repeat it now" : "it counts, go on";
  }
  if (instruction.kind === "running") return "it is over";
  if (instruction.kind === "waiting") {
    if (instruction.underWay.warmUp) return "go on without its file";
    return instruction.late ? "run it again" : "the capture is on its way";
  }
  if (instruction.kind === "mismatch") return "read it again";
  if (instruction.kind === "finished") return "end the session";
  const { kind } = instruction.step;
  if (kind === "read_back")
    return instruction.step.question?.choices.length
      ? "press the digit of what it says"
      : "type what it says";
  if (kind === "warm_up" || kind === "pass") return "start the countdown";
  if (kind === "wait") return "it is steady, go on";
  return kind === "check" ? "it is so" : "done";
}

/** Seconds and minutes for two metres: 1:05, 32. */
export function countdown(ms: number): string {
  const seconds = Math.max(0, Math.ceil(ms / 1000));
  if (seconds < 100) return String(seconds);
  return `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, "0")}`;
}
