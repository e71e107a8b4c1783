import type { Schemas } from "../../api/client";
import { words } from "../../api/words";
import { LaneName } from "../../controls/LaneMark";
import { fps } from "../../format";
import type { Study } from "../../model/study";
import { leftOutWords, type Names } from "./shown";
import { Why } from "./Why";

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
  /** Lanes of interest; none where all are. */
  front: ReadonlySet<string>;
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

export const out = (asked: Asked, left: readonly Schemas["AnswerGap"][]) =>
  leftOutWords(asked.names, left, words().reasons);

export const Lane = ({ names, id }: { names: Names; id: string }) => {
  const lane = names.lanes.get(id);
  return lane ? <LaneName lane={lane.position} name={lane.name} /> : null;
};

/** A lane's level, and why it is what it is; of a lane of an older study that is told there. */
export const LevelCell = ({ asked, lane, value }: { asked: Asked; lane: string; value: number }) => {
  const { study, wanted, names } = asked;
  const own = study.lanes_full.some((one) => String(one.id) === lane);
  const figure = wanted.figure === "low_1" ? "low_1" : "average";
  return (
    <>
      <span className="figure font-semibold">{fps(value)}</span>{" "}
      {own && (
        <Why
          study={study}
          looking={wanted.group ? { group: wanted.group } : {}}
          asked={{ figure, lane: Number(lane) }}
          of={`${fps(value)} fps of ${names.lane(lane)}`}
        />
      )}
    </>
  );
};

/** Why lanes lie over lanes as they do, in a test or over all. */
export const WhyOver = ({
  asked,
  plus,
  minus,
  test,
  per = 1,
  atOnce = 1,
  of,
}: {
  asked: Asked;
  plus: readonly string[];
  minus: readonly string[];
  test?: string | null;
  per?: number;
  atOnce?: number;
  of: string;
}) => (
  <Why
    study={asked.study}
    looking={asked.wanted.group ? { group: asked.wanted.group } : {}}
    asked={{
      figure: asked.wanted.figure === "low_1" ? "low_1" : "average",
      plus: plus.join(","),
      minus: minus.join(","),
      per,
      at_once: atOnce,
      ...(test ? { test: Number(test) } : {}),
    }}
    of={of}
  />
);

export const ends = (low: number | null, high: number | null, say: (value: number) => string) =>
  low == null || high == null ? "no interval yet" : `${say(low)} to ${say(high)}`;
