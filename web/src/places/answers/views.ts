import type { Schemas } from "../../api/client";
import type { Study } from "../../model/study";
import { budget } from "./budget";
import { grid } from "./grid";
import { ladder } from "./ladder";
import { proxy } from "./proxy";
import type { Asked, Wanted } from "./questions";
import { scaling } from "./scaling";
import { several } from "./several";
import { namesOf, type Shown } from "./shown";
import { sweep } from "./sweep";

/** What the answer of a study shows; null where it has none. */
export function shownOf(
  study: Study,
  answer: Schemas["AnswerOut"],
  wanted: Wanted,
  front: ReadonlySet<string>,
): Shown | null {
  return VIEWS[answer.kind]?.({ study, answer, names: namesOf(study), wanted, front }) ?? null;
}

const VIEWS: Record<string, (asked: Asked) => Shown | null> = {
  ladder,
  sweep,
  grid,
  scaling,
  budget,
  several,
  proxy,
};
