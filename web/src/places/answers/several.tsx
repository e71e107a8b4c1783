import type { Schemas } from "../../api/client";
import { type Track, TracksPicture } from "../../charts/kinds/TracksPicture";
import { fixed, percent } from "../../format";
import { type Asked, block, Lane, out, told, WhyOver } from "./questions";
import { marginCell, type Shown, signed } from "./shown";

/** Several cards: what each further one adds, and what is lost. */
export function several(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.several, wanted);
  if (!own) return null;
  const all = [...own.suite, ...own.scaling];
  const place = (one: Schemas["AnswerAdded"]) => (one.test ? (names.tests.get(one.test) ?? "") : "All tests");
  const lost = (one: Schemas["AnswerAdded"]) =>
    `${percent(one.lost)}% lost${one.held_by ? `, ${one.held_by.replaceAll("_", " ")}` : ""}`;
  const tracks: Track[] = all.map((one) => ({
    key: `${one.test ?? ""} ${one.lane}`,
    name: `${place(one)}, ${names.lane(one.lane)}`,
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
        {...told(asked, own.sentence, `over one card · brackets: ${answer.interval_words}`)}
        tracks={tracks}
        line={0}
        words={signed}
        axis="added →"
      />
    ),
    table: {
      caption: "What further cards add",
      heads: ["Test", "Lane", "Added", "Lost, held by", "Frames in groups", "W more"],
      rows: all.map((one) => ({
        key: `${one.test ?? ""} ${one.lane}`,
        strong: !one.test,
        cells: [
          place(one),
          <Lane key="lane" names={names} id={one.lane} />,
          <span key="added">
            {marginCell(one)}{" "}
            <WhyOver
              asked={asked}
              plus={[one.lane]}
              minus={[one.over]}
              test={one.test}
              of={`${signed(one.margin)} with ${names.lane(one.lane)}, ${place(one)}`}
            />
          </span>,
          lost(one),
          one.alternating == null ? "–" : `${percent(one.alternating)}% of passes`,
          one.watts == null ? "–" : fixed(one.watts, 0).replace("-", "−"),
        ],
      })),
    },
    leftOut: out(asked, own.left_out),
  };
}
