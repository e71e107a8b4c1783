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
  log: "Tuning log",
  fit: "What fits",
  sum: "Sum",
  scene: "Scene",
  setup: "Setup",
} as const;

export type KindKept = keyof typeof KINDS;
/** What can be shown of every study as it is; the others are of something that one chooses. */
export const KINDS_OF_STUDY = ["answer", "picture", "table", "readers", "method"] as const;

/** A block as its kind is called. */
export const kindWords = (kind: string) => (kind === "prose" ? "Prose" : (KINDS[kind as KindKept] ?? kind));
