import type { Schemas } from "../../api/client";
import { words } from "../../api/words";
import { GridPicture } from "../../charts/kinds/GridPicture";
import { LadderPicture, rankWords } from "../../charts/kinds/LadderPicture";
import { SweepPicture } from "../../charts/kinds/SweepPicture";
import { type Track, TracksPicture } from "../../charts/kinds/TracksPicture";
import { LaneName } from "../../controls/LaneMark";
import { figure, fixed, fps, interval, ms, percent, signedPercent } from "../../format";
import type { Study } from "../study/study";
import { Against } from "./Against";
import { leftOutWords, marginCell, type Names, namesOf, type Shown, testsFoot } from "./shown";
import { Targets } from "./Targets";

type Answer = Schemas["AnswerOut"];

export interface Wanted {
  figure: string;
  group: string;
}

interface Asked {
  study: Study;
  answer: Answer;
  names: Names;
  wanted: Wanted;
}

/** What the answer of a study shows; null where it has none. */
export function shownOf(study: Study, answer: Answer, wanted: Wanted): Shown | null {
  const make = VIEWS[answer.kind];
  return make ? make({ study, answer, names: namesOf(study), wanted }) : null;
}

/** The block of the figure and group that are looked at. */
function block<B extends { figure: string; group: string | null }>(
  blocks: readonly B[],
  { figure: asked, group }: Wanted,
): B | undefined {
  return (
    blocks.find((one) => one.figure === asked && (one.group ?? "") === group) ??
    blocks.find((one) => one.figure === asked) ??
    blocks[0]
  );
}

const told = (asked: Asked, sentence: Schemas["SentenceOut"], foot: string) => ({
  question: asked.study.question,
  sentence,
  foot,
});

const out = (asked: Asked, left: readonly Schemas["AnswerLeftOut"][]) =>
  leftOutWords(asked.names, left, words().reasons);

const Lane = ({ names, id }: { names: Names; id: string }) => {
  const lane = names.lanes.get(id);
  return lane ? <LaneName lane={lane.position} name={lane.name} /> : null;
};

const ends = (low: number | null, high: number | null, say: (value: number) => string) =>
  low == null || high == null ? "no interval yet" : `${say(low)} to ${say(high)}`;

function ladder(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.ladder, wanted);
  if (!own) return null;
  const lows = answer.ladder.find((one) => one.figure === "low_1" && one.group === own.group);
  const currency = answer.currency;
  const foot = testsFoot(own.tests, "brackets: 95% interval · equal ranks: order not shown · line: tier");
  return {
    sentence: own.sentence,
    also: [
      ...own.needs.map((one) => one.words),
      ...own.absent.map((id) => `${names.lanes.get(id)?.name ?? ""}: no result in these tests.`),
    ],
    asks: <Targets own={own.needs.map((one) => one.target)} />,
    picture: (how) => (
      <LadderPicture
        {...how}
        {...told(asked, own.sentence, foot)}
        lanes={own.lanes}
        lows={
          new Map(own.figure === "average_fps" ? (lows?.lanes ?? []).map((one) => [one.lane, one.fps]) : [])
        }
        names={names.lanes}
        targets={own.needs.map((one) => one.target)}
        currency={currency}
      />
    ),
    table: {
      caption: "Lanes of the ladder from the fastest down",
      heads: [
        "Lane",
        "Rank",
        "Tier",
        "fps",
        "95% interval",
        "Against",
        "fps per price",
        "fps per W",
        "Price",
      ],
      rows: own.lanes.map((one) => ({
        key: one.lane,
        cells: [
          <Lane key="lane" names={names} id={one.lane} />,
          rankWords(one.ranks),
          one.tier,
          <span key="fps" className="figure font-semibold">
            {fps(one.fps)}
          </span>,
          ends(one.low, one.high, fps),
          <Against key="against" own={own} lane={one.lane} names={names} />,
          one.per_price == null ? "–" : `${fixed(one.per_price, 3)} per ${currency}`,
          one.per_watt == null ? "–" : fixed(one.per_watt, 2),
          [
            one.price != null && `${figure(one.price)} ${currency}`,
            one.outclassed_by && `outclassed by ${names.lanes.get(one.outclassed_by)?.name ?? ""}`,
          ]
            .filter(Boolean)
            .join(", "),
        ],
      })),
    },
    leftOut: out(asked, own.left_out),
  };
}

function sweep(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.sweep, wanted);
  if (!own) return null;
  const rival = own.equal_power ? names.lanes.get(own.equal_power.rival) : undefined;
  const foot = testsFoot(own.tests, "brackets: 95% interval · strip: where the bend may lie");
  const unit = own.unit || "level";
  const best = own.best_per_watt;
  return {
    sentence: own.sentence,
    also: [
      ...(own.equal_power ? [own.equal_power.words] : []),
      ...(best
        ? [
            `Most for its power: ${names.lanes.get(best.lane)?.name ?? ""}, ${fixed(best.per_watt, 2)} fps a watt${
              best.shared.length
                ? `, not told apart from ${best.shared.map((id) => names.lanes.get(id)?.name).join(", ")}`
                : ""
            }.`,
          ]
        : []),
    ],
    picture: (how) => (
      <SweepPicture {...how} {...told(asked, own.sentence, foot)} sweep={own} rival={rival} />
    ),
    table: {
      caption: "Steps of the sweep",
      heads: [
        "Step",
        "fps",
        "95% interval",
        "W drawn",
        "fps per W",
        `fps gained per ${unit}`,
        "fps gained per W",
      ],
      rows: own.points.map((one) => ({
        key: one.lane,
        strong: one.lane === own.knee?.lane,
        cells: [
          <Lane key="lane" names={names} id={one.lane} />,
          <span key="fps" className="figure font-semibold">
            {fps(one.value)}
          </span>,
          ends(one.low, one.high, fps),
          one.watts == null ? "–" : fixed(one.watts, 0),
          one.per_watt == null ? "–" : fixed(one.per_watt, 3),
          one.gained == null ? "–" : fixed(one.gained, 3),
          one.gained_per_watt == null ? "–" : fixed(one.gained_per_watt, 3),
        ],
      })),
    },
    leftOut: out(asked, own.left_out),
  };
}

function grid(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.grid, wanted);
  if (!own) return null;
  const foot = testsFoot(own.count, "brackets: 95% interval · lines alike: neither depends on the other");
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

function scaling(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.scaling, wanted);
  if (!own) return null;
  const name = (id: string) => names.lanes.get(id)?.name ?? "";
  const steps = [...own.suite, ...own.steps];
  const foot = testsFoot(own.tests, "cost in ms a frame · brackets: 95% interval");
  const place = (one: Schemas["AnswerStep"]) => (one.test ? (names.tests.get(one.test) ?? "") : "All tests");
  const costs = (value: number) => `${ms(value).replace("-", "−")} ms`;
  const tracks: Track[] = steps.map((one) => ({
    key: `${one.test ?? ""} ${one.to}`,
    name: `${name(one.from)} to ${name(one.to)}${one.test ? `, ${place(one)}` : ""}`,
    value: one.cost_ms,
    low: one.low,
    high: one.high,
    said: `${signedPercent(one.margin_down)}% there, ${signedPercent(one.margin_up)}% back`,
    lane: names.lanes.get(one.to)?.position,
    strong: !one.test,
  }));
  return {
    sentence: own.sentence,
    also: own.suite.map((one) => `${one.words}.`),
    picture: (how) => (
      <TracksPicture
        {...how}
        {...told(asked, own.sentence, foot)}
        tracks={tracks}
        line={0}
        words={costs}
        axis="costs →"
      />
    ),
    table: {
      caption: "What each step costs",
      heads: ["Test", "Step", "Cost, ms a frame", "95% interval", "There", "Back", "Verdict"],
      rows: steps.map((one) => ({
        key: `${one.test ?? ""} ${one.to}`,
        strong: !one.test,
        cells: [
          place(one),
          `${name(one.from)} to ${name(one.to)}`,
          <span key="cost" className="figure font-semibold">
            {costs(one.cost_ms)}
          </span>,
          ends(one.low, one.high, costs),
          `${signedPercent(one.margin_down)}%`,
          `${signedPercent(one.margin_up)}%`,
          one.verdict,
        ],
      })),
    },
    leftOut: out(asked, own.left_out),
  };
}

function budget(asked: Asked): Shown | null {
  const { answer, names } = asked;
  const own = answer.budget[0];
  if (!own) return null;
  const held = (holds: boolean | null) => (holds == null ? "on the edge" : holds ? "holds" : "misses");
  const share = (value: number) => `${percent(value)}%`;
  const rate = (value: number | null) => (value == null ? "–" : `${fps(value)} fps`);
  const name = (one: Schemas["AnswerBudgetCell"]) =>
    `${names.tests.get(one.test) ?? ""}, ${names.lanes.get(one.lane)?.name ?? ""}`;
  const tracks: Track[] = own.cells.map((one) => ({
    key: `${one.test} ${one.lane}`,
    name: name(one),
    value: one.inside,
    low: one.low,
    high: one.high,
    said: held(one.holds),
    lane: names.lanes.get(one.lane)?.position,
  }));
  return {
    sentence: own.sentence,
    also: [],
    picture: (how) => (
      <TracksPicture
        {...how}
        {...told(asked, own.sentence, `budget ${ms(own.budget_ms)} ms · line: 99% of frames in time`)}
        tracks={tracks}
        line={0.99}
        words={share}
        axis="frames in time →"
      />
    ),
    table: {
      caption: "Frames inside the budget",
      heads: [
        "Test",
        "Lane",
        "In time",
        "95% interval",
        "Longest spell",
        "Card alone",
        "Processor alone",
        "Budget",
      ],
      rows: own.cells.map((one) => ({
        key: `${one.test} ${one.lane}`,
        cells: [
          names.tests.get(one.test) ?? "",
          <Lane key="lane" names={names} id={one.lane} />,
          one.inside == null ? "–" : share(one.inside),
          ends(one.low, one.high, share),
          one.longest_spell_s == null ? "–" : `${fixed(one.longest_spell_s, 2)} s`,
          rate(one.card_limit_fps),
          rate(one.processor_limit_fps),
          held(one.holds),
        ],
      })),
    },
    leftOut: [],
  };
}

function several(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.several, wanted);
  if (!own) return null;
  const all = [...own.suite, ...own.scaling];
  const place = (one: Schemas["AnswerAdded"]) => (one.test ? (names.tests.get(one.test) ?? "") : "All tests");
  const lost = (one: Schemas["AnswerAdded"]) =>
    `${percent(one.lost)}% lost${one.held_by ? `, held by: ${one.held_by.replaceAll("_", " ")}` : ""}`;
  const signed = (value: number) => `${signedPercent(value)}%`;
  const tracks: Track[] = all.map((one) => ({
    key: `${one.test ?? ""} ${one.lane}`,
    name: `${place(one)}, ${names.lanes.get(one.lane)?.name ?? ""}`,
    value: one.margin,
    low: one.low,
    high: one.high,
    said: lost(one),
    lane: names.lanes.get(one.lane)?.position,
    strong: !one.test,
  }));
  return {
    sentence: own.sentence,
    also: [],
    picture: (how) => (
      <TracksPicture
        {...how}
        {...told(asked, own.sentence, testsFoot(own.tests, "over one card · brackets: 95% interval"))}
        tracks={tracks}
        line={0}
        words={signed}
        axis="added →"
      />
    ),
    table: {
      caption: "What further cards add",
      heads: ["Test", "Lane", "Added", "Lost", "Frames in groups", "W more"],
      rows: all.map((one) => ({
        key: `${one.test ?? ""} ${one.lane}`,
        strong: !one.test,
        cells: [
          place(one),
          <Lane key="lane" names={names} id={one.lane} />,
          marginCell(one),
          lost(one),
          one.alternating == null ? "–" : `${percent(one.alternating)}% of passes`,
          one.watts == null ? "–" : fixed(one.watts, 0),
        ],
      })),
    },
    leftOut: out(asked, own.left_out),
  };
}

function proxy(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = answer.proxy.filter((one) => one.figure === wanted.figure);
  const first = own[0];
  if (!first) return null;
  const whole = own.length > 1 ? { ...first.sentence, ...split(answer.sentence) } : first.sentence;
  const off = (ratio: number) => ratio - 1;
  const signed = (value: number) => `${signedPercent(value)}%`;
  const tracks: Track[] = own.map((one) => ({
    key: one.game,
    name: one.game,
    value: one.widest ? off(one.widest.value) : null,
    low: one.widest?.low == null ? null : off(one.widest.low),
    high: one.widest?.high == null ? null : off(one.widest.high),
    said: GAUGE[one.gauge] ?? one.gauge,
  }));
  return {
    sentence: whole,
    also: own.length > 1 ? [] : [],
    picture: (how) => (
      <TracksPicture
        {...how}
        {...told(asked, whole, `widest ratio of play over benchmark · strip: within ${percent(first.band)}%`)}
        tracks={tracks}
        line={0}
        strip={[-first.band, first.band]}
        words={signed}
        axis="play gains more →"
      />
    ),
    table: {
      caption: "What each benchmark is worth",
      heads: ["Game", "Gauge", "Play over benchmark", "Widest ratio of ratios"],
      rows: own.map((one) => ({
        key: one.game,
        cells: [
          one.game,
          GAUGE[one.gauge] ?? one.gauge,
          one.level
            ? `${fixed(one.level.value, 3)} (${ends(one.level.low, one.level.high, (x) => fixed(x, 3))})`
            : "–",
          one.widest
            ? `${names.lanes.get(one.widest.b)?.name} over ${names.lanes.get(one.widest.a)?.name}: ${signed(off(one.widest.value))}`
            : "–",
        ],
      })),
    },
    leftOut: [],
  };
}

const GAUGE: Record<string, string> = {
  absolute: "keeps level and ratios",
  relative: "keeps ratios",
  neither: "keeps neither",
  open: "open",
};

/** A sentence that came whole. */
const split = (text: string) => ({ text, before: "", answer: text.replace(/\.$/, ""), after: "", basis: "" });

const VIEWS: Record<string, (asked: Asked) => Shown | null> = {
  ladder,
  sweep,
  grid,
  scaling,
  budget,
  several,
  proxy,
};
