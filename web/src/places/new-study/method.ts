/** A method as it is edited, and what is sent of it. Pure. */
import type { Schemas } from "../../api/client";
import { readNumber } from "../../format";

type Method = Schemas["Method"];
export type DeclaredMethod = Omit<Schemas["MethodEdit"], "seen">;

/** What a method form holds while it is edited. */
export interface MethodDraft {
  leading: string;
  low_school: string;
  suite_school: string;
  cell_school: string;
  band: string;
  target: string;
  display: string;
  variable: boolean;
  drift: string;
  /** What sessions differ by, in percent; empty where nothing is stated. */
  between: string;
  betweenWhy: string;
  /** In how many tests a rate may be missed and still be held; `average` where it is held on average over them. */
  mayMiss: string;
}

const HOLDING = [
  { value: "average", label: "on average over the tests" },
  { value: "0", label: "in every test" },
  { value: "1", label: "in all tests but one" },
  { value: "2", label: "in all tests but two" },
  { value: "3", label: "in all tests but three" },
];

/** What holding a rate can mean, with what it means now. */
export const holdingOptions = (now: string) =>
  HOLDING.some((one) => one.value === now)
    ? HOLDING
    : [...HOLDING, { value: now, label: `in all tests but ${now}` }];

/** What sessions of one bench are taken to differ by, in percent, if nobody says otherwise. */
export const USUAL_BETWEEN = "0.3";

export function draftOf(method: Method): MethodDraft {
  return {
    leading: method.leading,
    low_school: method.low_school,
    suite_school: method.suite_school,
    cell_school: method.cell_school,
    band: String(Math.round(method.equal_band * 1e6) / 1e4),
    target: String(method.target_hz),
    display: method.display_hz == null ? "" : String(method.display_hz),
    variable: method.display_variable,
    drift: String(Math.round(method.drift_allowance * 1e6) / 1e4),
    between: method.between == null ? "" : String(Math.round(method.between * 1e6) / 1e4),
    betweenWhy: method.between_why,
    mayMiss: method.may_miss == null ? "average" : String(method.may_miss),
  };
}

export function methodOf(draft: MethodDraft): DeclaredMethod {
  return {
    leading: draft.leading as Method["leading"],
    low_school: draft.low_school as Method["low_school"],
    suite_school: draft.suite_school as Method["suite_school"],
    cell_school: draft.cell_school as Method["cell_school"],
    equal_band: (readNumber(draft.band) ?? Number.NaN) / 100,
    target_hz: readNumber(draft.target) ?? Number.NaN,
    display_hz: readNumber(draft.display),
    display_variable: draft.variable,
    drift_allowance: (readNumber(draft.drift) ?? Number.NaN) / 100,
    between: draft.between.trim() === "" ? null : (readNumber(draft.between) ?? Number.NaN) / 100,
    between_why: draft.between.trim() === USUAL_BETWEEN ? "" : draft.betweenWhy,
    may_miss: draft.mayMiss === "average" ? null : Number(draft.mayMiss),
  };
}

export const DEFAULT_METHOD: MethodDraft = {
  leading: "average_fps",
  low_school: "percentile",
  suite_school: "geometric",
  cell_school: "mean",
  band: "1",
  target: "60",
  display: "",
  variable: false,
  drift: "0.5",
  between: USUAL_BETWEEN,
  betweenWhy: "",
  mayMiss: "average",
};
