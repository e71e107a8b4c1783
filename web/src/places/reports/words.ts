/** What states and kinds of blocks are called. */

export const STATES: Record<string, string> = {
  draft: "draft",
  to_check: "to be checked",
  ready: "ready",
  published: "published",
  withdrawn: "withdrawn",
};

export const KINDS = {
  answer: "Sentence",
  picture: "Picture",
  table: "Table",
  readers: "For whom",
  method: "How it was measured",
} as const;

export type KindOfStudy = keyof typeof KINDS;
export const KINDS_OF_STUDY = Object.keys(KINDS) as KindOfStudy[];

/** A block as its kind is called. */
export const kindWords = (kind: string) =>
  kind === "prose" ? "Prose" : (KINDS[kind as KindOfStudy] ?? kind);
