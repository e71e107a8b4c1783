import type { Schemas } from "../../api/client";
import { type Track, TracksPicture } from "../../charts/kinds/TracksPicture";
import { ms } from "../../format";
import { EyeNotes } from "./EyeNotes";
import { type Asked, block, ends, out, told, WhyOver } from "./questions";
import { type Shown, signed } from "./shown";

/** Scaling: what each step costs, both ways round. */
export function scaling(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.scaling, wanted);
  if (!own) return null;
  const steps = [...own.suite, ...own.steps];
  const foot = `cost in ms a frame · brackets: ${answer.interval_words}`;
  const place = (one: Schemas["AnswerStep"]) => (one.test ? (names.tests.get(one.test) ?? "") : "All tests");
  const costs = (value: number) => `${ms(value).replace("-", "−")} ms`;
  const tracks: Track[] = steps.map((one) => ({
    key: `${one.test ?? ""} ${one.to}`,
    name: `${names.lane(one.from)} to ${names.lane(one.to)}${one.test ? `, ${place(one)}` : ""}`,
    value: one.cost_ms,
    low: one.low,
    high: one.high,
    said: `${signed(one.margin_down)} there, ${signed(one.margin_up)} back`,
    lane: names.lanes.get(one.to)?.position,
    strong: !one.test,
  }));
  return {
    sentence: own.sentence,
    also: own.modes.map((one) => `${one.words}.`),
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
      heads: ["Test", "Step", "Cost, ms a frame", answer.interval_words, "There", "Back", "Verdict"],
      rows: steps.map((one) => ({
        key: `${one.test ?? ""} ${one.to}`,
        strong: !one.test,
        cells: [
          place(one),
          `${names.lane(one.from)} to ${names.lane(one.to)}`,
          <span key="cost" className="figure font-semibold">
            {costs(one.cost_ms)}
          </span>,
          ends(one.low, one.high, costs),
          <span key="there">
            {signed(one.margin_down)}{" "}
            <WhyOver
              asked={asked}
              plus={[one.to]}
              minus={[one.from]}
              test={one.test}
              of={`${signed(one.margin_down)} from ${names.lane(one.from)} to ${names.lane(one.to)}, ${place(one)}`}
            />
          </span>,
          signed(one.margin_up),
          one.verdict,
        ],
      })),
    },
    leftOut: out(asked, own.left_out),
    below: <EyeNotes study={asked.study} names={names} steps={own.suite} />,
  };
}
