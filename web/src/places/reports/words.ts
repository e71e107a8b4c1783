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
  trace: "Frame times",
  eye: "What the eye gets",
} as const;

export type KindOfStudy = keyof typeof KINDS;
/** What can be shown of every study as it is; the others are of passes or lanes that one chooses. */
export const KINDS_OF_STUDY = (Object.keys(KINDS) as KindOfStudy[]).filter(
  (one) => one !== "trace" && one !== "eye",
);

/** A block as its kind is called. */
export const kindWords = (kind: string) =>
  kind === "prose" ? "Prose" : (KINDS[kind as KindOfStudy] ?? kind);
