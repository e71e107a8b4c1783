import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useAudit } from "../api/queries";
import { FilterField, NothingMatches, useFilter } from "../controls/Filter";
import { LaneName } from "../controls/LaneMark";
import { ErrorNotice, Loading } from "../controls/Notice";
import { useTitle } from "../controls/useTitle";
import { moment } from "../format";
import type { Study } from "../model/study";

const NO_LINES: never[] = [];

/** Who did what, when and why; and the setups as this study used them. */
export function Record({ study }: { study: Study }) {
  const { data: lines, error } = useAudit(study.id);
  const { shown, text, setText } = useFilter<Schemas["AuditOut"]>(
    lines ?? NO_LINES,
    (line) => `${line.who} ${line.what} ${line.why} ${line.on}`,
  );
  useTitle("Record", study.question);
  if (error) return <ErrorNotice error={error} />;
  if (!lines) return <Loading what="the record" />;
  return (
    <div className="grid gap-8 lg:grid-cols-[1fr_25rem]">
      <section>
        <div className="mb-3 flex items-end justify-between gap-4">
          <h1 className="text-2xl font-bold">Record</h1>
          <FilterField label="Filter the record" text={text} setText={setText} />
        </div>
        <table className="w-full border-collapse">
          <thead>
            <tr className="label">
              <th className="py-1 pr-4">When</th>
              <th className="py-1 pr-4">Who</th>
              <th className="py-1">What and why</th>
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, 400).map((line) => (
              <tr key={`${line.at}${line.what}${line.on}`} className="border-rule border-t">
                <td className="figure py-1.5 pr-4 text-[0.82rem] whitespace-nowrap">{moment(line.at)}</td>
                <td className="py-1.5 pr-4">{line.who}</td>
                <td className="py-1.5">
                  {line.what}
                  {line.on && <span className="text-mute"> · {line.on}</span>}
                  {line.why && <span className="block text-soft">{line.why}</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {lines.length > 0 && !shown.length && <NothingMatches text={text} what="line" />}
        {shown.length > 400 && (
          <p className="mt-2 text-mute">The newest 400 of {shown.length}; filter to see others.</p>
        )}
      </section>
      <aside>
        <h2 className="mb-2 text-xl font-bold">To be computed again</h2>
        <p className="mb-2 text-soft">
          Captures byte for byte, maps, windows, decisions, settings and every number, in one zip.{" "}
          <span className="figure">rennbahn verify</span> computes all of it again on any machine, and names
          what differs.
        </p>
        <p className="mb-7">
          <a href={`/api/studies/${study.id}/package`} download className="font-semibold">
            Data package
          </a>
        </p>
        <h2 className="mb-3 text-xl font-bold">Setups as used</h2>
        <ul className="border-rule border-b">
          {study.lanes_full.map((lane) => (
            <li key={lane.id} className="border-rule border-t py-2">
              <LaneName lane={lane.position} name={lane.name} />
              <Link to={`/bench/sheet/${lane.setup.version_id}`} className="block">
                {lane.setup.name}, version {lane.setup.version}
              </Link>
            </li>
          ))}
        </ul>
        <p className="mt-3 text-[0.9rem] text-mute">
          A setup that a run used never changes; editing it on the <Link to="/bench">bench</Link> makes the
          next version.
        </p>
      </aside>
    </div>
  );
}
