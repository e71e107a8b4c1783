/** How marks are drawn: strokes as on a tally, each state with a shape of its own. */

import type { Mark, Marked } from "./matrix";

/** The size of one mark; those of a cell stand side by side. */
export const MARK = { wide: 52, dense: 13, height: 24 } as const;

/** Outlines and lines of a mark around x, in a box 24 high: what is filled, what is stroked. */
export function markPath(mark: Mark, x: number): string {
  const bar = `M${x - 2.5} 4h5v16h-5z`;
  switch (mark) {
    case "accepted":
    case "waits":
      return bar;
    case "doubted":
      return `M${x - 3} 2h3v18h-3zM${x} 2l7 4.5l-7 4.5z`;
    case "rejected":
      return `${bar}M${x - 5.5} 17L${x + 5.5} 7`;
    case "planned":
      return `M${x} 5v15`;
    case "did_not_run":
      return `M${x - 4} 19h8`;
    case "odd":
      return `M${x - 2.5} 11h5v9h-5zM${x - 3.5} 5a3.5 3.5 0 1 0 7 0a3.5 3.5 0 1 0 -7 0z`;
  }
}

/** What marks of each kind look like. */
export const MARK_LOOK: Record<Mark, { fill: string; stroke: string; width: number; dash?: string }> = {
  accepted: { fill: "var(--ink)", stroke: "var(--ink)", width: 1 },
  odd: { fill: "var(--ink)", stroke: "var(--ink)", width: 1 },
  waits: { fill: "var(--raised)", stroke: "var(--focus)", width: 2 },
  doubted: { fill: "var(--accent)", stroke: "var(--accent)", width: 1 },
  rejected: { fill: "none", stroke: "var(--mute)", width: 1.4 },
  planned: { fill: "none", stroke: "var(--mute)", width: 1.6, dash: "1.5 3" },
  did_not_run: { fill: "none", stroke: "var(--mute)", width: 3 },
};

export const MARKS: Mark[] = ["doubted", "waits", "accepted", "odd", "rejected", "did_not_run", "planned"];

/** The marks of a cell, those of one kind as one outline. */
export function pathsOf(marks: readonly Marked[], step: number): [Mark, string][] {
  const found = new Map<Mark, string>();
  marks.forEach(({ mark }, i) => {
    found.set(mark, (found.get(mark) ?? "") + markPath(mark, step * (i + 0.5)));
  });
  return [...found];
}
