import type { Schemas } from "../../api/client";

/** A study as its places show it: lanes with their setups, tests, method. */
export type Study = Schemas["StudyOut"];

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

/** States of a pass in words. */
export const STATE_WORDS: Record<string, string> = {
  planned: "to run",
  recorded: "to decide",
  accepted: "accepted",
  rejected: "rejected",
  did_not_run: "did not run",
};
