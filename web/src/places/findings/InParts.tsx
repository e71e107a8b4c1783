import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { type Looking, useFindingParts } from "../../api/queries";
import { ExportMenu } from "../../charts/ExportMenu";
import type { Drawn } from "../../charts/kinds/Frame";
import { TracksPicture } from "../../charts/kinds/TracksPicture";
import { testWords } from "../../charts/margins";
import { PagePicture } from "../../charts/PagePicture";
import { DataTable } from "../../controls/DataTable";
import { count, signedPercent } from "../../format";
import type { Study } from "../../model/study";

type Parts = Schemas["PartsOut"];
type Findings = Schemas["FindingsOut"];

/** The answer in parts: what changes from group to group, sets of games as suites of their own, what each test weighs. */
export function InParts({
  study,
  findings,
  looking,
}: {
  study: Study;
  findings: Findings;
  looking: Looking;
}) {
  const { data: parts } = useFindingParts(study.id, looking);
  if (!parts) return null;
  return (
    <>
      {parts.changes.length > 0 && (
        <ul className="mt-3 max-w-5xl">
          {parts.changes.map((one) => (
            <li key={`${one.from_group} ${one.figure}`} className="py-0.5 text-soft">
              {one.words}
            </li>
          ))}
        </ul>
      )}
      <Sets study={study} findings={findings} parts={parts} />
      <Influence study={study} findings={findings} parts={parts} />
    </>
  );
}

function Sets({ study, findings, parts }: { study: Study; findings: Findings; parts: Parts }) {
  const sets = parts.parts;
  if (!sets.length) return null;
  const leads = findings.method.leading === "average_fps" ? "average" : "low_1";
  const band = findings.method.equal_band;
  const { sentence } = findings[leads];
  const draw = (how: Drawn) => (
    <TracksPicture
      {...how}
      question={study.question}
      sentence={sentence}
      foot={`${leads === "average" ? "average fps" : "1% low"} · brackets: ${findings.interval_words} · strip: even`}
      tracks={sets.map((one) => ({
        key: one.name,
        name: `${one.name}, ${count(one[leads].tests, "test")}`,
        value: one[leads].margin,
        low: one[leads].low,
        high: one[leads].high,
        said: one[leads].words,
        lane: findings.other.marker,
      }))}
      line={0}
      strip={[-band, band]}
      words={(share: number) => `${signedPercent(share)}%`}
      axis={`ahead of ${findings.baseline.name} →`}
    />
  );
  return (
    <section className="mt-10" aria-label="Sets of games">
      <div className="mb-2 flex flex-wrap items-center gap-4">
        <h2 className="text-xl font-bold">Sets of games</h2>
        <span className="text-soft">
          {findings.other.name} over {findings.baseline.name}, each set a suite of its own
        </span>
        <ExportMenu label="Export the sets" name={`${study.question} sets`} draw={draw} />
      </div>
      <PagePicture draw={draw} />
      <p className="mt-1 text-[0.88rem] text-mute">
        At the right: how a set parts from the other tests. Name sets of your own with each game in{" "}
        <Link to="/scenes">Scenes</Link>.
      </p>
    </section>
  );
}

/** What the answer would be without each test, from the one that moves it most. */
function Influence({ study, findings, parts }: { study: Study; findings: Findings; parts: Parts }) {
  if (!parts.influence.length) return null;
  const names = new Map(findings.tests.map((one) => [String(one.test_id), testWords(one, findings.tests)]));
  return (
    <details className="mt-6">
      <summary className="cursor-pointer font-semibold">What each test weighs in the answer</summary>
      <div className="mt-2">
        <DataTable
          narrow
          caption="The answer without each test"
          heads={["Test", "Without it", "It moves the answer by"]}
          rows={parts.influence.map((one) => ({
            key: one.test,
            cells: [
              <Link
                key="test"
                to={`/studies/${study.id}/passes/${one.test}`}
                className="plain hover:underline"
              >
                {names.get(one.test)}
              </Link>,
              <span key="without" className="figure">{`${signedPercent(one.without)}%`}</span>,
              <span key="moves" className="figure">{`${signedPercent(one.moves)} points`}</span>,
            ],
          }))}
        />
      </div>
    </details>
  );
}
