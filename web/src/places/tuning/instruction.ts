import type { Log, Step } from "../../api/tuning";

/** How a stability run can end, in the words of whoever watched it. */
export const OUTCOMES = [
  ["passed", "it passed"],
  ["crashed", "it crashed"],
  ["errors", "it gave errors"],
  ["artefacts", "it showed artefacts"],
  ["hang", "it hung, or did not start"],
] as const;

/** The one thing to do now. */
export interface Instruction {
  kind: "step" | "read" | "test" | "figures";
  label: string;
  words: string;
  why: string;
  caution: string;
}

/** Entries that count. */
export const unstruck = <T extends { struck: string }>(entries: readonly T[]): T[] =>
  entries.filter((one) => !one.struck);

/** What a log asks for next: its last step is set, read back, tested and measured before another is taken. */
export function instructionOf(log: Log): Instruction {
  const last = log.steps.at(-1);
  if (!last) return nextStep(log, "Before the first step");
  const label = `Step ${last.number}: ${last.words}`;
  const failed = last.state === "unstable";
  if (
    !failed &&
    Object.keys(last.read_back).length === 0 &&
    Object.keys(last.set).length > 0 &&
    !log.simulated
  )
    return {
      kind: "read",
      label,
      words: "Read it back in a second place",
      why: "A setting that is believed on and is off makes every figure after it one of something else.",
      caution: "",
    };
  const left = Math.max(0, log.stability_min - last.minutes);
  if (!failed && left > 0)
    return {
      kind: "test",
      label,
      words: `Test it: ${round(left)} more minutes`,
      why: "A step is proven once its runs, all passed, last that long together.",
      caution: cautionOf(log, last),
    };
  if (!failed && unstruck(last.passes).length === 0)
    return {
      kind: "figures",
      label,
      words: "Run a quick pass",
      why: "What it gives and draws: two or three passes tell how far they scatter.",
      caution: "",
    };
  return nextStep(log, failed ? `${label}: ${last.why_unstable}` : label);
}

function nextStep(log: Log, label: string): Instruction {
  const { setting, value, words } = log.next;
  const of = log.settings.find((one) => one.name === setting);
  const proposed = setting !== null && value !== null;
  return {
    kind: "step",
    label,
    words: proposed
      ? `Set ${setting} to ${value} ${of?.unit ?? ""}`.trim()
      : log.steps.length
        ? "Nothing is proposed"
        : "Take the first small step",
    why: log.steps.length
      ? words.replace(/^Nothing is proposed: (.)/, (_, first) => first.toUpperCase())
      : "Whoever takes it chooses how large; what follows is proposed from it.",
    caution: of?.caution ?? log.settings.find((one) => one.caution)?.caution ?? "",
  };
}

const cautionOf = (log: Log, step: Step): string =>
  log.settings.find((one) => one.name in step.set && one.caution)?.caution ?? "";

const round = (minutes: number): string => String(Math.round(minutes * 10) / 10);
