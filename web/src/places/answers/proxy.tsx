import { type Track, TracksPicture } from "../../charts/kinds/TracksPicture";
import { fixed, interval, percent } from "../../format";
import { type Asked, ends, told } from "./questions";
import { type Shown, signed } from "./shown";

/** A proxy check: what each benchmark is worth. */
export function proxy(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = answer.proxy.filter((one) => one.figure === wanted.figure);
  const first = own[0];
  if (!first) return null;
  const sentence = (own.length > 1 && wanted.figure === "average_fps" && answer.sentence) || first.sentence;
  const tracks: Track[] = own.map((one) => ({
    key: one.game,
    name: one.game,
    value: one.widest?.off ?? null,
    low: one.widest?.off_low ?? null,
    high: one.widest?.off_high ?? null,
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
            ? `${names.lane(one.widest.b)} over ${names.lane(one.widest.a)}: ${signed(one.widest.off)} (${interval(one.widest.off_low, one.widest.off_high)})`
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
