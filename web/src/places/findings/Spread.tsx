import type { Schemas } from "../../api/client";
import { count } from "../../format";

const STEPS = ["1", "3", "5", "10"] as const;

/** How the tests lie around the finish line: so many beyond 1, 3, 5 and 10% either way, a square a test. */
export function Spread({ suite }: { suite: Schemas["SuiteOut"] }) {
  const most = Math.max(
    1,
    ...STEPS.flatMap((step) => [beyond(suite, step, "down"), beyond(suite, step, "up")]),
  );
  return (
    <table className="mt-1 border-collapse text-[0.86rem]">
      <caption className="sr-only">How many tests lie beyond some percent either way</caption>
      <thead>
        <tr className="text-mute">
          <th scope="col" className="pr-2 text-right font-normal">
            behind
          </th>
          <th scope="col" className="px-2 font-normal">
            beyond
          </th>
          <th scope="col" className="pl-2 text-left font-normal">
            ahead
          </th>
        </tr>
      </thead>
      <tbody>
        {STEPS.map((step) => (
          <tr key={step}>
            <Side suite={suite} step={step} way="down" most={most} />
            <th scope="row" className="figure px-2 text-center font-normal text-soft">
              {step}%
            </th>
            <Side suite={suite} step={step} way="up" most={most} />
          </tr>
        ))}
      </tbody>
    </table>
  );
}

type Way = "up" | "down";

const beyond = (suite: Schemas["SuiteOut"], step: string, way: Way) => suite.beyond[step]?.[way] ?? 0;

/** Squares from the line outward: on a long suite they are narrower, never fewer. */
function Side({
  suite,
  step,
  way,
  most,
}: {
  suite: Schemas["SuiteOut"];
  step: string;
  way: Way;
  most: number;
}) {
  const found = beyond(suite, step, way);
  const wide = Math.min(10, 110 / most);
  return (
    <td className={way === "down" ? "pr-2 text-right" : "pl-2"} title={count(found, "test")}>
      <span className={`inline-flex items-center gap-2 ${way === "down" ? "flex-row-reverse" : ""}`}>
        <span className="figure text-soft">{found}</span>
        <svg
          width={most * wide}
          height={10}
          aria-hidden="true"
          className={way === "down" ? "-scale-x-100" : ""}
        >
          {Array.from({ length: found }, (_, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: squares are alike but for their place
            <rect key={i} x={i * wide} y={0} width={Math.max(wide - 2, 1)} height={10} fill="var(--ink)" />
          ))}
        </svg>
      </span>
    </td>
  );
}
