import type { Schemas } from "../../api/client";
import { readNumber } from "../../format";
import type { Study } from "../../model/study";

type Arrival = Schemas["ArrivalOut"];

/** Where a file goes, as it is chosen so far: ids and a number as text, empty where nothing is chosen. */
export interface Place {
  lane: string;
  test: string;
  number: string;
  /** Named in part only: it waits until somebody says that it is right. */
  laneGuess?: boolean;
  testGuess?: boolean;
}

/** Where the server reads that a file belongs. */
export function placeRead(file: Arrival): Place {
  return {
    lane: file.lane_id === null ? "" : String(file.lane_id),
    test: file.test_id === null ? "" : String(file.test_id),
    number: file.number === null ? "" : String(file.number),
    laneGuess: file.lane_guess,
    testGuess: file.test_guess,
  };
}

/** Is a file to be looked at before it is taken in? */
export const waits = (place: Place) => !place.lane || !place.test || isGuess(place);

export const isGuess = (place: Place) => Boolean(place.laneGuess || place.testGuess);

/** What somebody chose is no guess any more. */
export function chosen(part: Partial<Place>): Partial<Place> {
  return {
    ...part,
    ...(part.lane === undefined ? {} : { laneGuess: false }),
    ...(part.test === undefined ? {} : { testGuess: false }),
  };
}

/** Somebody looked at it: it is right as it is. */
export const RIGHT: Partial<Place> = { laneGuess: false, testGuess: false };

/** Files that would be the same pass. */
export function clashes(places: [number, Place][]): Set<number> {
  const seen = new Map<string, number[]>();
  for (const [id, place] of places) {
    const number = readNumber(place.number);
    if (place.lane && place.test && number !== null) {
      const key = `${place.lane}/${place.test}/${number}`;
      seen.set(key, [...(seen.get(key) ?? []), id]);
    }
  }
  return new Set([...seen.values()].filter((ids) => ids.length > 1).flat());
}

const PARTS = ["lane", "game", "scene", "condition", "pass", "any"] as const;
type Part = (typeof PARTS)[number];

/** What a pattern of names says of one file; null where the name does not fit it. */
export function byPattern(pattern: string, name: string, study: Study): Partial<Place> | null {
  const names: Record<Part, () => string> = {
    lane: () => anyOf(study.lanes_full.map((one) => one.name)),
    game: () => anyOf(study.tests_full.map((one) => one.game)),
    scene: () => anyOf(study.tests_full.map((one) => one.scene)),
    condition: () => anyOf(study.tests_full.map((one) => one.condition)),
    pass: () => "(\\d{1,3})",
    any: () => ".*?",
  };
  const parts: Part[] = [];
  const source = pattern
    .split(/(\{[a-z]+\})/)
    .map((piece) => {
      const part = PARTS.find((one) => piece === `{${one}}`);
      if (!part) return piece.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
      if (part !== "any") parts.push(part);
      return names[part]();
    })
    .join("");
  if (!parts.length) return null;
  const stem = name.replace(/(\.(csv|tsv|txt|log|jsonl|parquet|arrow|gz|zst))+$/i, "");
  const found = new RegExp(`^${source}$`, "iu").exec(stem);
  if (!found) return null;
  const said = (part: Part) => {
    const at = parts.indexOf(part);
    return at < 0 ? undefined : found[at + 1];
  };
  const place: Partial<Place> = {};
  const lane = said("lane");
  if (lane !== undefined) {
    const meant = only(study.lanes_full, (one) => alike(one.name, lane));
    if (!meant) return null;
    place.lane = String(meant.id);
  }
  if ((["game", "scene", "condition"] as const).some((part) => said(part) !== undefined)) {
    const meant = only(study.tests_full, (one) =>
      (["game", "scene", "condition"] as const).every((part) => {
        const text = said(part);
        return text === undefined || alike(one[part], text);
      }),
    );
    if (!meant) return null;
    place.test = String(meant.id);
  }
  const number = said("pass");
  if (number !== undefined) place.number = String(Number(number));
  return place;
}

/** One of some names, in whatever writing between its words; the longest first, so that none is taken for a shorter. */
function anyOf(names: string[]): string {
  const written = [...new Set(names)]
    .sort((a, b) => b.length - a.length)
    .map((one) => (one.match(/\p{L}+|\p{N}+/gu) ?? []).join("[^\\p{L}\\p{N}]*"));
  return `(${written.join("|")})`;
}

function only<T>(items: T[], holds: (one: T) => boolean): T | undefined {
  const found = items.filter(holds);
  return found.length === 1 ? found[0] : undefined;
}

/** Names are alike where their letters and digits are, in whatever writing between them. */
function alike(one: string, other: string): boolean {
  const bare = (text: string) => text.toLowerCase().replace(/[^\p{L}\p{N}]+/gu, "");
  return bare(one) === bare(other);
}
