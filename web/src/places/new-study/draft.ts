/** A study as it is typed, kept in this browser until it is created, and what is sent of it. Pure. */
import type { Schemas } from "../../api/client";
import { readNumber } from "../../format";
import { draftOf, emptySetup, type SetupDraft } from "../bench/SetupEditor";
import type { PlannedKind } from "../plan/kinds";
import {
  type FactorDraft,
  type LaneDraft,
  type LaneReady,
  NO_BASE,
  type OtherLane,
  readyCards,
  readyConditions,
  readyLevels,
  readyOthers,
  readyPair,
  type Shelf,
  sketchOf,
} from "../plan/lanes";
import * as M from "../plan/matrix";
import { DEFAULT_METHOD, type MethodDraft, methodOf } from "./method";

/** Passes of a test in a lane, as the server takes them. */
export const MOST_PASSES = 50;

export interface StudyDraft {
  question: string;
  pair: LaneDraft[];
  base: { choice: string; setup: SetupDraft };
  factors: FactorDraft[];
  conditions: string[];
  others: OtherLane[];
  baseline: string;
  matrix: M.PlainMatrix;
  passes: string;
  method: MethodDraft;
}

/** What is varied where the kind of study says it. */
const FACTOR: Partial<Record<PlannedKind, string>> = {
  ladder: "Graphics card",
  budget: "Graphics card",
  proxy_check: "Graphics card",
  several: "Graphics card",
};

/** A study of a kind before anything was typed; with a setup to begin from, its first lane is that. */
export function emptyDraft(kind: PlannedKind, setup = ""): StudyDraft {
  return {
    question: "",
    pair: [newLane(setup), newLane()],
    base: { choice: setup || "new", setup: emptySetup() },
    factors: (kind === "grid" ? ["", ""] : [FACTOR[kind] ?? ""]).map((name) => ({
      name,
      levels: kind === "several" ? ["1", "2"] : ["", ""],
    })),
    conditions: ["", ""],
    others: [],
    baseline: "0",
    matrix: M.plain({ ...M.EMPTY, columns: kind === "scaling" ? [""] : [] }),
    passes: "3",
    method: DEFAULT_METHOD,
  };
}

function newLane(setup = ""): LaneDraft {
  return { name: "", choice: setup || "new", setup: emptySetup() };
}

/** The lanes as far as they are typed; a level or a condition without a name makes none. */
export function lanesOf(kind: PlannedKind, draft: StudyDraft, shelf: Shelf): LaneReady[] {
  const { pair, base, factors, conditions, others } = draft;
  if (kind === "a_b") return readyPair(pair, factors[0]?.name ?? "", shelf);
  const known = shelf.setups.find((setup) => String(setup.id) === base.choice);
  const setup = known ? draftOf(known) : base.setup;
  if (kind === "scaling") return readyConditions(setup, known, conditions, shelf);
  if (kind === "several") {
    const [factor] = factors;
    return readyCards(setup, known, shelf, factor?.name || (FACTOR.several ?? ""), factor?.levels ?? []);
  }
  const levels = base.choice === NO_BASE ? [] : readyLevels(setup, known, factors, shelf);
  return [...levels, ...readyOthers(others, factors, shelf)];
}

/** The tests; those of a scaling study carry its first condition's name, in whose place the lanes put their own. */
export function testsOf(kind: PlannedKind, draft: StudyDraft): ReturnType<typeof M.testsOf> {
  const matrix = M.fromPlain(draft.matrix);
  if (kind !== "scaling") return M.testsOf(matrix);
  const condition = draft.conditions.find((one) => one.trim()) ?? "";
  const cells = new Map(
    matrix.rows.flatMap((row) => {
      const cell = matrix.cells.get(M.keyOf(row, matrix.columns[0] ?? ""));
      return cell ? [[M.keyOf(row, condition), cell] as const] : [];
    }),
  );
  return M.testsOf({ rows: matrix.rows, columns: [condition], cells });
}

/** Which lane the others are held against: the first, where the one that was chosen is gone. */
export const baselineOf = (draft: StudyDraft, lanes: readonly LaneReady[]): number =>
  Number(draft.baseline) < lanes.length ? Number(draft.baseline) : 0;

/** Passes of a test for the sketch, which wants a number also while none is typed. */
export const passesOf = (draft: StudyDraft): number =>
  Math.min(MOST_PASSES, Math.max(1, Math.round(readNumber(draft.passes) ?? 1) || 1));

/** What is asked to see what the study comes to on paper. */
export function paperOf(kind: PlannedKind, draft: StudyDraft, shelf: Shelf): Schemas["SketchIn"] {
  const lanes = lanesOf(kind, draft, shelf);
  return sketchOf(lanes, shelf.rigs, {
    factors: draft.factors.map((factor) => factor.name).filter(Boolean),
    baseline: baselineOf(draft, lanes),
    passes_wanted: passesOf(draft),
    tests: testsOf(kind, draft).map(({ game, scene, condition }) => ({ game, scene, condition })),
  });
}

/** What is sent when the study is created. What is wrong in it the server says, field by field. */
export function studyOf(kind: PlannedKind, draft: StudyDraft, shelf: Shelf): Schemas["StudyIn"] {
  const lanes = lanesOf(kind, draft, shelf);
  return {
    kind,
    question: draft.question,
    factor: draft.factors[0]?.name ?? "",
    second_factor: draft.factors[1]?.name ?? "",
    baseline: baselineOf(draft, lanes),
    passes_wanted: readNumber(draft.passes) ?? 3,
    method: methodOf(draft.method),
    lanes: lanes.map((one) => one.lane),
    tests: testsOf(kind, draft),
  };
}
