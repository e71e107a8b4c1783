import type { Told } from "./outbox";
import { sound } from "./sound";
import type { Instruction, View } from "./view";

/** Does an act: it is kept in the browser until the server has it. */
export type Acting = (told: Told) => unknown;

/** The key to go on, by what is to be done now. */
export function goOnFrom(
  view: View,
  instruction: Instruction,
  tookS: number,
  act: Acting,
  to: { count: () => void; end: () => void; again: () => void; typed: () => void },
): void {
  if (instruction.kind === "paused") {
    act({ kind: "resumed" });
  } else if (instruction.kind === "verdict") {
    const { verdict } = instruction;
    act({ kind: verdict.doubted ? "repeated" : "accepted", pass_id: verdict.pass_id });
  } else if (instruction.kind === "running") {
    endRun(view, act);
  } else if (instruction.kind === "waiting") {
    const { underWay } = instruction;
    if (underWay.warmUp) act({ kind: "done", step: underWay.step, pass_id: underWay.passId });
    // A key pressed once too often must not throw away the run whose file is just being written.
    else if (instruction.late) act({ kind: "aborted", pass_id: instruction.underWay.passId });
  } else if (instruction.kind === "mismatch") {
    to.again();
  } else if (instruction.kind === "finished") {
    to.end();
  } else if (instruction.kind === "step") {
    const { step } = instruction;
    if (step.kind === "pass" || step.kind === "warm_up") {
      sound("tick");
      to.count();
    } else if (step.kind === "read_back") {
      // What was seen is told by its digit or typed: a key that one presses anyway tells nothing.
      if (!step.question?.choices.length) to.typed();
    } else {
      act({
        kind: "done",
        step: step.key,
        pass_id: step.pass_id,
        took_s: Math.min(tookS, 86_400),
        planned_s: step.seconds,
        cost: step.cost,
      });
    }
  }
}

export function readBack(
  step: { key: string; pass_id: number; question: { setting: string } | null },
  seen: string,
  act: Acting,
) {
  act({
    kind: "read_back",
    step: step.key,
    pass_id: step.pass_id,
    setting: step.question?.setting ?? "",
    seen,
  });
}

/** The countdown has run out. */
export function beginRun(instruction: Extract<Instruction, { kind: "step" }>, act: Acting): void {
  const { step, coming } = instruction;
  act({
    kind: "began",
    step: step.key,
    pass_id: step.pass_id,
    warm_up: step.kind === "warm_up",
    after_load: coming?.after_load ?? false,
  });
}

/** The run is over, and waits for its file; a warm-up of files that are handed in by hand is done with that. */
export function endRun(view: View, act: Acting): void {
  const { underWay } = view;
  if (!underWay) return;
  const step = view.run.steps.find((one) => one.key === underWay.step);
  const took_s = Math.max(0, (Date.now() - underWay.beganMs) / 1000);
  const told = { pass_id: underWay.passId, took_s, planned_s: step?.seconds ?? took_s };
  const byHand = !view.run.session?.machine && !view.run.session?.simulated;
  act(
    underWay.warmUp && byHand ? { kind: "done", step: underWay.step, ...told } : { kind: "ended", ...told },
  );
}

/** Once more: the pass that came in last, or the run that is under way. */
export function repeat(view: View, instruction: Instruction, act: Acting): void {
  if (view.verdict) act({ kind: "repeated", pass_id: view.verdict.pass_id });
  else if (instruction.kind === "running" || instruction.kind === "waiting")
    act({ kind: "aborted", pass_id: instruction.underWay.passId });
  else if (view.run.last) act({ kind: "repeated", pass_id: view.run.last.pass_id });
}
