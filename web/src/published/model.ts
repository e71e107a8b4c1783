/** What a page of an edition is drawn from; the server hands it over as JSON. */

import type { Schemas } from "../api/client";

export type Material = Schemas["MaterialOut"];
export type Correction = Schemas["CorrectionOut"];

/** A node of prose. */
export interface Node {
  type: string;
  attrs?: { level?: number; href?: string; study?: number; key?: string; of?: string; text?: string };
  content?: Node[];
  text?: string;
  marks?: { type: string; attrs?: { href?: string } }[];
}

export interface ShownBlock {
  id: number;
  kind: string;
  doc: Node | null;
  look: Record<string, unknown>;
  caption: string;
  /** The rows of a table that are printed; all of them without any. */
  rows: string[];
  material: Material | null;
}

export interface PageOf {
  words: Schemas["WordsOut"];
  title: string;
  summary: string;
  number: number;
  /** Where its editions stand. */
  address: string;
  at: string;
  author: string;
  /** Who published it. */
  by: string;
  checked_by: string;
  why: string;
  erratum: Correction[];
  /** What an edition before said, by key. */
  before: Record<string, string>;
  /** The places of live numbers on the page of numbers. */
  places: Record<string, number>;
  blocks: ShownBlock[];
  cautions: string[];
  accepted: { words: string; why: string }[];
  files: { name: string; size: number; sha256: string }[];
  numbers: NumberBehind[];
}

/** A number with all that it stands on. */
export interface NumberBehind {
  key: string;
  of: string;
  text: string;
  interval: string;
  value: number;
  name: string;
  study: string;
  package: string;
  passes: {
    lane: string;
    test: string;
    number: number;
    file: string;
    sha256: string;
    windows: [number, number][];
  }[];
}
