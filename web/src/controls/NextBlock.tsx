import type { Schemas } from "../api/client";
import { count, hours } from "../format";

/** The next block in words and rows: what it settles, what it costs, and what is left alone and why. */
export function NextBlock({ found }: { found: Schemas["NextHourOut"] }) {
  if (found.why_not) return <p className="max-w-[60ch]">{found.why_not}</p>;
  const expected = found.expected.toFixed(1);
  const planned = found.planned_expected.toFixed(1);
  return (
    <div className="grid gap-3">
      <p className="max-w-[64ch] leading-snug">
        <b>
          About {expected} {found.expected < 1.05 && found.expected >= 0.95 ? "verdict" : "verdicts"} in{" "}
          {hours(found.seconds)}
        </b>{" "}
        by these passes of {found.lanes.join(" and ")}; what is planned would settle{" "}
        {found.planned_expected < 0.05 ? "none of them" : planned} in the same time. Choosing by what was seen
        costs nothing here: every look is at the level of {(100 * found.level).toFixed(1)}%.
      </p>
      <table className="w-full border-collapse text-left">
        <thead>
          <tr className="label">
            <th className="py-1 pr-4">Test</th>
            <th className="py-1 pr-4 text-right">Passes a lane</th>
            <th className="py-1 text-right">Chance of a verdict</th>
          </tr>
        </thead>
        <tbody>
          {found.tests.map((one) => (
            <tr key={one.test_id} className="border-rule border-t">
              <th scope="row" className="py-1 pr-4 font-normal">
                {one.test}
              </th>
              <td className="figure py-1 pr-4 text-right">{one.passes}</td>
              <td className="figure py-1 text-right">{Math.round(100 * one.chance)}%</td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.left_alone.length > 0 && (
        <p className="text-soft">
          Left alone: {found.left_alone.map((one) => `${one.test} (${one.why})`).join("; ")}.
        </p>
      )}
      <p className="text-soft">
        {count(
          found.tests.reduce((sum, one) => sum + 2 * one.passes, 0),
          "pass",
          "passes",
        )}
        , all of one lane before those of the other.
      </p>
    </div>
  );
}
