import type { Schemas } from "../../api/client";
import { GridPicture } from "../../charts/kinds/GridPicture";
import { interval, signedPercent } from "../../format";
import { type Asked, block, out, told } from "./asked";
import { marginCell, type Shown } from "./shown";

/** A grid: both factors, and whether one depends on the other. */
export function grid(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.grid, wanted);
  if (!own) return null;
  const foot = `brackets: ${answer.interval_words} · lines alike: neither depends on the other`;
  const factors = own.effects.map((one) => `${one.level} over ${one.over}`);
  const both = own.interaction;
  const effect = (effects: readonly Schemas["AnswerEffect"][]) =>
    effects.map((one) => `${marginCell(one)} ${one.verdict}`);
  const joint = (one: Schemas["AnswerInteraction"] | null) =>
    one ? `${signedPercent(one.value)}% (${interval(one.low, one.high)}) ${JOINT[one.verdict]}` : "–";
  return {
    sentence: own.sentence,
    also: own.effects.map(
      (one) =>
        `${one.level} over ${one.over}: ${marginCell(one)}, ${one.verdict}, mean over the other factor.`,
    ),
    picture: (how) => <GridPicture {...how} {...told(asked, own.sentence, foot)} grid={own} />,
    table: {
      caption: "Effects by test",
      heads: ["Test", ...factors, both ? `${both.level} at ${both.at}: ratio of ratios` : "Ratio of ratios"],
      rows: [
        { key: "all", strong: true, cells: ["All tests", ...effect(own.effects), joint(own.interaction)] },
        ...own.tests.map((one) => ({
          key: one.test,
          cells: [names.tests.get(one.test) ?? "", ...effect(one.effects), joint(one.interaction)],
        })),
      ],
    },
    leftOut: out(asked, own.left_out),
  };
}

const JOINT: Record<string, string> = {
  depends: "depends",
  does_not_depend: "does not depend",
  open: "open",
};
