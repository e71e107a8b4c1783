import { type Track, TracksPicture } from "../../charts/kinds/TracksPicture";
import { fixed, percent, signedPercent } from "../../format";
import { type Asked, ends, told } from "./asked";
import type { Shown } from "./shown";

/** A proxy check: what each benchmark is worth. */
export function proxy(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = answer.proxy.filter((one) => one.figure === wanted.figure);
  const first = own[0];
  if (!first) return null;
  const sentence = own.length > 1 ? cameWhole(answer.sentence) : first.sentence;
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
    sentence,
    also: [],
    picture: (how) => (
      <TracksPicture
        {...how}
        {...told(
          asked,
          sentence,
          `widest ratio of play over benchmark · strip: within ${percent(first.band)}%`,
        )}
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
const cameWhole = (text: string) => ({
  text,
  before: "",
  answer: text.replace(/\.$/, ""),
  after: "",
  basis: "",
});
