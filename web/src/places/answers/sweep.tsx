import { SweepPicture } from "../../charts/kinds/SweepPicture";
import { fixed, fps } from "../../format";
import { type Asked, block, ends, Lane, LevelCell, out, told } from "./questions";
import type { Shown } from "./shown";

/** A sweep: the curve, and where more stops paying. */
export function sweep(asked: Asked): Shown | null {
  const { answer, names, wanted } = asked;
  const own = block(answer.sweep, wanted);
  if (!own) return null;
  const rival = own.equal_power ? names.lanes.get(own.equal_power.rival) : undefined;
  const foot = `brackets: ${answer.interval_words} · strip: where the bend may lie`;
  const unit = own.unit || "level";
  const warm = own.points.some((one) => one.temperature_c != null);
  const spun = own.points.some((one) => one.fan_rpm != null);
  const best = own.best_per_watt;
  return {
    sentence: own.sentence,
    also: [
      ...(own.equal_power ? [own.equal_power.words] : []),
      ...(best
        ? [
            `Most for its power: ${names.lane(best.lane)}, ${fixed(best.per_watt, 2)} fps a watt${
              best.shared.length
                ? `, not told apart from ${best.shared.map((id) => names.lane(id)).join(", ")}`
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
        answer.interval_words,
        "W drawn",
        "fps per W",
        `fps gained per ${unit}`,
        "fps gained per W",
        ...(warm ? ["Card, °C"] : []),
        ...(spun ? ["Fan, rpm"] : []),
      ],
      rows: own.points.map((one) => ({
        key: one.lane,
        strong: one.lane === own.knee?.lane,
        cells: [
          <Lane key="lane" names={names} id={one.lane} />,
          <LevelCell key="fps" asked={asked} lane={one.lane} value={one.value} />,
          ends(one.low, one.high, fps),
          one.watts == null ? "–" : fixed(one.watts, 0),
          one.per_watt == null ? "–" : fixed(one.per_watt, 3),
          one.gained == null ? "–" : fixed(one.gained, 3),
          one.gained_per_watt == null ? "–" : fixed(one.gained_per_watt, 3),
          ...(warm ? [one.temperature_c == null ? "–" : fixed(one.temperature_c, 1)] : []),
          ...(spun ? [one.fan_rpm == null ? "–" : fixed(one.fan_rpm, 0)] : []),
        ],
      })),
    },
    leftOut: out(asked, own.left_out),
  };
}
