import type { Schemas } from "../../api/client";
import { words } from "../../api/words";
import { LaneName } from "../../controls/LaneMark";
import type { Study } from "../study/study";
import { leftOutWords, type Names } from "./shown";

type Answer = Schemas["AnswerOut"];

export interface Wanted {
  figure: string;
  group: string;
}

/** What a view is made from. */
export interface Asked {
  study: Study;
  answer: Answer;
  names: Names;
  wanted: Wanted;
}

/** The block of the figure and group that are looked at. */
export function block<B extends { figure: string; group: string | null }>(
  blocks: readonly B[],
  { figure: asked, group }: Wanted,
): B | undefined {
  return (
    blocks.find((one) => one.figure === asked && (one.group ?? "") === group) ??
    blocks.find((one) => one.figure === asked) ??
    blocks[0]
  );
}

export const told = (asked: Asked, sentence: Schemas["SentenceOut"], foot: string) => ({
  question: asked.study.question,
  sentence,
  foot,
});

export const out = (asked: Asked, left: readonly Schemas["AnswerLeftOut"][]) =>
  leftOutWords(asked.names, left, words().reasons);

export const Lane = ({ names, id }: { names: Names; id: string }) => {
  const lane = names.lanes.get(id);
  return lane ? <LaneName lane={lane.position} name={lane.name} /> : null;
};

export const ends = (low: number | null, high: number | null, say: (value: number) => string) =>
  low == null || high == null ? "no interval yet" : `${say(low)} to ${say(high)}`;
