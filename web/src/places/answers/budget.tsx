import type { Schemas } from "../../api/client";
import { type Track, TracksPicture } from "../../charts/kinds/TracksPicture";
import { fixed, fps, ms, percent } from "../../format";
import { type Asked, ends, Lane, told } from "./questions";
import type { Shown } from "./shown";

/** A budget: frames in time, and what each side could do alone. */
export function budget(asked: Asked): Shown | null {
  const { answer, names } = asked;
  const own = answer.budget[0];
  if (!own) return null;
  const held = (holds: boolean | null) => (holds == null ? "on the edge" : holds ? "holds" : "misses");
  const share = (value: number) => `${percent(value)}%`;
  const rate = (value: number | null) => (value == null ? "–" : `${fps(value)} fps`);
  /** What a side could do alone, and what it leaves of the budget. */
  const spare = (fps_: number | null, headroom: number | null) =>
    headroom == null
      ? rate(fps_)
      : `${rate(fps_)}, ${share(Math.abs(headroom))} ${headroom < 0 ? "over" : "to spare"}`;
  /** Which side is late, and in how many frames. */
  const late = (one: Schemas["AnswerBudgetCell"]) =>
    (
      [
        ["card", one.card_over],
        ["processor", one.processor_over],
        ["both", one.both_over],
      ] as const
    )
      .filter(([, part]) => part != null && part >= 0.0005)
      .map(([side, part]) => `${side} ${share(part ?? 0)}`)
      .join(", ") || "–";
  const name = (one: Schemas["AnswerBudgetCell"]) =>
    `${names.tests.get(one.test) ?? ""}, ${names.lane(one.lane)}`;
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
        {...told(
          asked,
          own.sentence,
          `budget ${ms(own.budget_ms)} ms · line: ${percent(own.held)}% of frames in time`,
        )}
        tracks={tracks}
        line={own.held}
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
        answer.interval_words,
        "Longest spell",
        "Card alone",
        "Processor alone",
        "Late by",
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
          spare(one.card_limit_fps, one.card_headroom),
          spare(one.processor_limit_fps, one.processor_headroom),
          late(one),
          held(one.holds),
        ],
      })),
    },
    leftOut: [],
  };
}
