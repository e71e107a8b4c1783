import type { ReactElement, ReactNode } from "react";
import type { Schemas } from "../../api/client";
import type { Drawn } from "../../charts/kinds/Frame";
import type { TableOf } from "../../controls/DataTable";
import { interval, signedPercent } from "../../format";
import type { Study } from "../../model/study";

/** What every kind of answer shows, whatever its question. */
export interface Shown {
  sentence: Schemas["SentenceOut"];
  /** Further sentences: what holds a wanted rate, how it stands against a rival. */
  also: string[];
  /** What can be asked about it. */
  asks?: ReactNode;
  picture: (how: Drawn) => ReactElement;
  table: TableOf;
  leftOut: string[];
  /** What stands beneath the table. */
  below?: ReactNode;
}

/** Names and places of a study's lanes and tests, by the ids that answers have them under. */
export function namesOf(study: Study) {
  const lanes = new Map(
    study.lanes_full.map((one) => [String(one.id), { name: one.name, position: one.position }]),
  );
  return {
    lanes,
    lane: (id: string | null | undefined) => lanes.get(id ?? "")?.name ?? "",
    tests: new Map(
      study.tests_full.map((one) => [
        String(one.id),
        study.groups.length > 1 ? `${one.game}, ${one.condition}` : `${one.game}, ${one.scene}`,
      ]),
    ),
  };
}

export type Names = ReturnType<typeof namesOf>;

/** Tests without a part in an answer, each with its reason. */
export function leftOutWords(
  names: Names,
  left: readonly Schemas["AnswerGap"][],
  reasons: Record<string, string>,
): string[] {
  return left.map((one) => {
    const lane = one.lane ? `${names.lane(one.lane)}: ` : "";
    return `${names.tests.get(one.test) ?? ""}: ${lane}${reasons[one.reason] ?? one.reason.replaceAll("_", " ")}`;
  });
}

/** A margin with its ends. */
export const marginCell = (one: { margin: number; low: number | null; high: number | null }) =>
  `${signedPercent(one.margin)}% (${interval(one.low, one.high)})`;

/** A margin with its sign. */
export const signed = (share: number) => `${signedPercent(share)}%`;
