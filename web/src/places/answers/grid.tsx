import type { Schemas } from "../../api/client";
import { GridPicture } from "../../charts/kinds/GridPicture";
import { interval, signedPercent } from "../../format";
import { type Asked, block, out, told, WhyOver } from "./questions";
import { marginCell, type Shown } from "./shown";

/** A grid: both factors, and whether one depends on the other. */
export function grid(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.grid, wanted);
  if (!own) return null;
  const foot = `brackets: ${answer.interval_words} · lines alike: neither depends on the other`;
  const factors = own.effects.map((one) => `${one.level} over ${one.over}`);
  const both = own.interaction;
  const effect = (effects: readonly Schemas["AnswerEffect"][], test?: string) =>
    effects.map((one) => {
      const pairs = pairsOf(own, one);
      return (
        <span key={one.factor + one.level}>
          {marginCell(one)} {one.verdict}{" "}
          <WhyOver
            asked={asked}
            plus={pairs.map(([lane]) => lane)}
            minus={pairs.map(([, over]) => over)}
            per={pairs.length}
            test={test ?? null}
            of={`${signedPercent(one.margin)}% of ${one.level} over ${one.over}`}
          />
        </span>
      );
    });
  const joint = (one: Schemas["AnswerInteraction"] | null, test?: string) => {
    if (!one) return "–";
    const corners = cornersOf(own, one);
    return (
      <>
        {signedPercent(one.value)}% ({interval(one.low, one.high)}) {JOINT[one.verdict]}{" "}
        {corners && (
          <WhyOver
            asked={asked}
            plus={corners.slice(0, 2)}
            minus={corners.slice(2)}
            atOnce={own.factors.reduce((n, factor) => n * ((own.levels[factor]?.length ?? 2) - 1), 1)}
            test={test ?? null}
            of={`${signedPercent(one.value)}%, the ratio of ratios`}
          />
        )}
      </>
    );
  };
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
          cells: [
            names.tests.get(one.test) ?? "",
            ...effect(one.effects, one.test),
            joint(one.interaction, one.test),
          ],
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

type Grid = Schemas["GridAnswer"];

/** The lanes at a level of a factor, each beside the lane at the level it is held against. */
function pairsOf(own: Grid, one: Schemas["AnswerEffect"]): [string, string][] {
  const first = own.factors[0] === one.factor;
  const other = (place: Grid["places"][number]) => (first ? place.second : place.first);
  const at = (level: string) => own.places.filter((place) => (first ? place.first : place.second) === level);
  return at(one.level).flatMap((place) => {
    const base = at(one.over).find((found) => other(found) === other(place));
    return base ? [[place.lane, base.lane] as [string, string]] : [];
  });
}

/** The four lanes of a ratio of ratios: two that count up, then two that count down. */
function cornersOf(own: Grid, one: Schemas["AnswerInteraction"]): string[] | null {
  const [zero, base] = [own.levels[own.factors[0] ?? ""]?.[0], own.levels[own.factors[1] ?? ""]?.[0]];
  const at = (first?: string, second?: string) =>
    own.places.find((place) => place.first === first && place.second === second)?.lane;
  const found = [at(one.level, one.at), at(zero, base), at(zero, one.at), at(one.level, base)];
  return found.every((lane) => lane !== undefined) ? found : null;
}
