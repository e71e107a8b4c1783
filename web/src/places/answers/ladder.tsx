import type { Schemas } from "../../api/client";
import { LadderPicture, rankWords } from "../../charts/kinds/LadderPicture";
import { figure, fixed, fps } from "../../format";
import { Against } from "./Against";
import { InFront } from "./LanesInFront";
import { type Asked, block, ends, Lane, LevelCell, out, told } from "./questions";
import type { Shown } from "./shown";
import { Targets } from "./Targets";

/** A ladder: ranks, prices, and what one needs. */
export function ladder(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.ladder, wanted);
  if (!own) return null;
  const lows = answer.ladder.find((one) => one.figure === "low_1" && one.group === own.group);
  const currency = answer.currency;
  const dearer = new Map(own.extra_frames.map((one) => [one.to_lane, one]));
  const foot = `brackets: ${answer.interval_words} · equal ranks: order not shown · line: tier`;
  return {
    sentence: own.sentence,
    also: [...own.needs.map((one) => one.words), ...own.shorts.map((one) => one.words)],
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
        front={asked.front}
      />
    ),
    table: {
      caption: "Lanes of the ladder from the fastest down",
      heads: [
        "Lane",
        "Rank",
        "Tier",
        "fps",
        answer.interval_words,
        "Against",
        "fps per price",
        "fps per W",
        "Price",
        "A frame more",
        "In front",
      ],
      rows: own.lanes.map((one) => ({
        key: one.lane,
        cells: [
          <Lane key="lane" names={names} id={one.lane} />,
          rankWords(one.ranks),
          one.tier,
          <LevelCell key="fps" asked={asked} lane={one.lane} value={one.fps} />,
          ends(one.low, one.high, fps),
          <Against key="against" own={own} lane={one.lane} names={names} />,
          one.per_price == null ? "–" : `${fixed(one.per_price, 3)} per ${currency}`,
          one.per_watt == null ? "–" : fixed(one.per_watt, 2),
          [
            one.price != null && `${figure(one.price)} ${currency}`,
            one.outclassed_by && `outclassed by ${names.lane(one.outclassed_by)}`,
          ]
            .filter(Boolean)
            .join(", "),
          moreWords(dearer.get(one.lane), names, currency),
          <InFront key="front" lane={one.lane} name={names.lane(one.lane)} />,
        ],
      })),
    },
    leftOut: out(asked, own.left_out),
  };
}

/** What one more fps costs, coming from the next cheaper lane. */
function moreWords(
  one: Schemas["AnswerExtraFrame"] | undefined,
  names: Asked["names"],
  currency: string,
): string {
  if (one?.cost_per_extra_frame == null) return "–";
  return `${fixed(one.cost_per_extra_frame, 2)} ${currency} over ${names.lane(one.from_lane)}`;
}
