import type { Schemas } from "./client";

type Words = Schemas["WordsOut"];

let known: Words = {
  schools: {},
  states: {},
  roles: {},
  kinds: {},
  reasons: {},
  rejected_for: [],
  did_not_run_for: [],
  channels: [],
  checks: {},
  called: {},
  likely: {},
  missing: {},
};

/** Keep what the server says things are called; the shell waits for it. */
export function keepWords(words: Words): void {
  known = words;
}

/** Why a cell is missing from a finding, in a word or two. */
export const missingWords = (reason: string): string => known.missing[reason] ?? reason.replaceAll("_", " ");

/** Schools, states, kinds, reasons and channels as they are called everywhere. */
export const words = (): Words => known;
