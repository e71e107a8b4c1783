import type { Schemas } from "../api/client";
import type { Looking } from "../api/queries";
import { words } from "../api/words";
import { fixed } from "../format";

/** A study as its places show it: lanes with their setups, tests, method. */
export type Study = Schemas["StudyOut"];

/** What findings show, and how to look at something else. */
export interface Choosing {
  study: Study;
  findings: Schemas["FindingsOut"];
  look: (part: Looking) => void;
}

/** Lanes to choose from. */
export function laneOptions(study: Study) {
  return study.lanes_full.map((lane) => ({ value: String(lane.id), label: lane.name }));
}

/** Tests to choose from. */
export function testOptions(study: Study) {
  return study.tests_full.map((test) => ({
    value: String(test.id),
    label: `${test.game}, ${test.scene}, ${test.condition}`,
  }));
}

/** Does a pass wait for a decision? A warm-up never counts, so nobody has to decide on it. */
export const waits = (one: { state: string; role: string }) =>
  one.state === "recorded" && one.role !== "warm_up";

/** The state of a pass in words. */
export const stateWords = (state: string) => words().states[state] ?? state;

/** Why a pass is out: its reason, and what was said about it. */
export function reasonWords(one: { reason_code: string; reason: string }): string {
  const code = one.reason_code === "other" ? "" : (words().reasons[one.reason_code] ?? "");
  return [code, one.reason].filter(Boolean).join(": ");
}

/** The windows of a pass in words. */
export const windowWords = (windows: number[][]) =>
  windows.map(([from = 0, to = 0]) => `${fixed(from, 1)} to ${fixed(to, 1)} s`).join(" and ");
