import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { LaneName } from "../../controls/LaneMark";
import { count, interval, signedPercent } from "../../format";
import type { Choosing } from "../../model/study";

const BRIEF = ["average", "low_1"] as const;
const BRIEF_WORDS = { average: "Average fps", low_1: "1% low" };

/** The pair that is looked at in each group, beside each other: what changes from one to the next. */
export function ByGroup({ findings, look }: Choosing) {
  if (findings.groups.length < 2) return null;
  const words = new Map(findings.groups.map((one) => [one.key, one]));
  return (
    <section className="mt-10">
      <h2 className="mb-2 text-xl font-bold">
        {findings.other.name} over {findings.baseline.name}, by group of tests
      </h2>
      <BriefTable
        first="Tests"
        rows={findings.by_group.map((row) => ({
          key: row.group,
          chosen: row.group === findings.group,
          name: (
            <button
              type="button"
              className="cursor-pointer text-left underline underline-offset-3"
              onClick={() => look({ group: row.group })}
            >
              {words.get(row.group)?.words}
            </button>
          ),
          cells: BRIEF.map((key) => row[key]),
        }))}
      />
    </section>
  );
}

/** Every lane over the baseline in the group that is looked at. */
export function AllLanes({ study, findings, look }: Choosing) {
  const own = findings.pairs.find((one) => one.group === findings.group);
  if (study.lanes_full.length < 3 || !own) return null;
  const base = findings.baseline.id;
  const rows = study.lanes_full
    .filter((lane) => lane.id !== base)
    .map((lane) => {
      // Pairs are kept once, the lane that comes first below; the other way round is the reverse of the same.
      const straight = own.a.findIndex((a, i) => a === base && own.b[i] === lane.id);
      const turned = own.a.findIndex((a, i) => a === lane.id && own.b[i] === base);
      const cells = BRIEF.map((key) => briefOf(own[key], straight, turned));
      return { lane, cells };
    });
  return (
    <section className="mt-10">
      <h2 className="mb-2 text-xl font-bold">Every lane over {findings.baseline.name}</h2>
      <BriefTable
        first="Lane"
        rows={rows.map(({ lane, cells }) => ({
          key: String(lane.id),
          chosen: lane.id === findings.other.id,
          name: (
            <button
              type="button"
              className="cursor-pointer underline underline-offset-3"
              onClick={() => look({ baseline: base, other: lane.id })}
            >
              <LaneName lane={lane.position} name={lane.name} />
            </button>
          ),
          cells,
        }))}
      />
    </section>
  );
}

interface Brief {
  margin: number | null;
  verdict: string | null;
  low: number | null;
  high: number | null;
  tests: number;
}

/** One place of a table of pairs; where the pair is kept the other way round, its reverse. */
function briefOf(columns: Schemas["BriefColumns"], straight: number, turned: number): Brief {
  return straight >= 0
    ? {
        margin: columns.margin[straight] ?? null,
        low: columns.low[straight] ?? null,
        high: columns.high[straight] ?? null,
        verdict: columns.verdict[straight] ?? null,
        tests: columns.tests[straight] ?? 0,
      }
    : {
        margin: columns.reverse[turned] ?? null,
        low: columns.reverse_low[turned] ?? null,
        high: columns.reverse_high[turned] ?? null,
        verdict: columns.reverse_verdict[turned] ?? null,
        tests: columns.tests[turned] ?? 0,
      };
}

function BriefTable({
  first,
  rows,
}: {
  first: string;
  rows: { key: string; chosen: boolean; name: ReactNode; cells: Brief[] }[];
}) {
  return (
    <table className="w-full max-w-4xl border-collapse">
      <thead>
        <tr className="label">
          <th className="pb-1">{first}</th>
          {BRIEF.map((key) => (
            <th key={key} className="pb-1 pl-4">
              {BRIEF_WORDS[key]}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.key} className={`border-rule border-t ${row.chosen ? "bg-raised font-semibold" : ""}`}>
            <th scope="row" className="py-1.5 pr-3">
              {row.name}
            </th>
            {row.cells.map((cell, i) => (
              <td key={BRIEF[i]} className="py-1.5 pl-4">
                <BriefCell cell={cell} />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function BriefCell({ cell }: { cell: Brief }) {
  if (cell.margin == null) return <span className="text-mute">no test in both lanes</span>;
  return (
    <>
      <span className="figure">{signedPercent(cell.margin)}%</span>{" "}
      {cell.low != null && cell.high != null && (
        <span className="figure text-[0.82rem] font-normal text-mute">({interval(cell.low, cell.high)})</span>
      )}{" "}
      <span className="font-normal">{cell.verdict}</span>{" "}
      <span className="text-[0.86rem] font-normal text-mute">{count(cell.tests, "test")}</span>
    </>
  );
}
