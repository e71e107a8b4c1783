/** What a reader of the findings must know besides: what is out of date, drift and level, caveats, what does not count. */
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { LaneName } from "../../controls/LaneMark";
import { count } from "../../format";
import type { Study } from "../../model/study";

type FindingsOut = Schemas["FindingsOut"];
type Beside = Schemas["BesideOut"];

/** Figures that the worker is making anew. */
export function Stale({ findings }: { findings: FindingsOut }) {
  if (!findings.stale || findings.state === "finished") return null;
  return (
    <p role="status" className="mb-4 border-l-4 border-ink bg-raised px-4 py-2">
      {count(findings.stale, "capture is", "captures are")} being measured again; this page follows by itself.
    </p>
  );
}

/** What holds for every interval: the drift of the bench that was taken off, or why none was, and the level. */
export function BenchSays({ findings }: { findings: FindingsOut }) {
  const { bench_drift: drift, level_sentence: level } = findings;
  const untold = [findings.average, findings.low_1].some((suite) => suite.drift?.untold);
  if (!drift.words && !level) return null;
  return (
    <aside
      aria-label="Drift and level"
      className={`mb-5 grid gap-1.5 py-1 pl-4 ${drift.trouble || untold ? "border-l-4 border-ink" : "border-rule border-l"}`}
    >
      {drift.words && (
        <p className={`max-w-5xl text-[0.95rem] ${drift.trouble ? "font-semibold" : "text-soft"}`}>
          {drift.words}
        </p>
      )}
      {level && <p className="max-w-5xl text-[0.95rem] text-soft">{level}</p>}
    </aside>
  );
}

/** What differs besides the factor, with the reason it was accepted for; what nobody accepted says so. */
export function Caveats({ study, findings }: { study: Study; findings: FindingsOut }) {
  if (!findings.caveats.length) return null;
  return (
    <aside aria-label="Caveats" className="mb-5 grid gap-1.5 border-l-4 border-ink py-1 pl-4">
      {findings.caveats.map((one) => (
        <p key={one.label + one.about} className="max-w-5xl text-[0.95rem]">
          <strong>
            {one.label}: {one.about}.
          </strong>{" "}
          {one.accepted ? (
            one.reason
          ) : (
            <>
              <span className="font-semibold text-accent">Not accepted by anybody:</span> {one.reason}.{" "}
              <Link to={`/studies/${study.id}/plan`}>See the plan</Link>
            </>
          )}
        </p>
      ))}
    </aside>
  );
}

/** Sessions that ran shifted as a whole, with what that does to the answer. */
export function Shifts({ study, beside }: { study: Study; beside: Beside | undefined }) {
  if (!beside?.shifts.length) return null;
  return (
    <aside aria-label="Shifted sessions" className="mb-5 grid gap-1.5 border-l-4 border-ink py-1 pl-4">
      {beside.shifts.map((one) => (
        <p key={one.key} className="max-w-5xl text-[0.95rem]">
          {one.words} <span className="text-mute">{count(one.passes, "pass", "passes")} ran in it. </span>
          {!one.settled && <Link to={`/studies/${study.id}/passes`}>Settle it</Link>}
        </p>
      ))}
    </aside>
  );
}

/** Passes that are odd, but real: they count, and are told. */
export function OddButReal({ study, beside }: { study: Study; beside: Beside | undefined }) {
  if (!beside?.odd.length) return null;
  const lanes = new Map(study.lanes_full.map((lane) => [lane.id, lane]));
  const tests = new Map(study.tests_full.map((test) => [test.id, test]));
  return (
    <section className="mt-10">
      <h2 className="mb-2 text-xl font-bold">Odd, but real: it repeated, and counts</h2>
      <ul>
        {beside.odd.map((one) => (
          <li
            key={`${one.pass_id} ${one.words}`}
            className="grid gap-x-4 border-rule border-t py-1.5 md:grid-cols-[17rem_11rem_1fr]"
          >
            <Link
              to={`/studies/${study.id}/passes/${one.test_id}?pass=${one.pass_id}`}
              className="font-semibold"
            >
              {tests.get(one.test_id)?.game}, {tests.get(one.test_id)?.scene}
            </Link>
            <LaneName
              lane={lanes.get(one.lane_id)?.position ?? 0}
              name={`${lanes.get(one.lane_id)?.name}, pass ${one.number}`}
            />
            <span>{one.words}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Passes that are out, with the reason and whom that favours, and cells that lack some. */
export function NotCounted({
  study,
  findings,
  beside,
}: {
  study: Study;
  findings: FindingsOut;
  beside: Beside | undefined;
}) {
  const lanes = new Map(study.lanes_full.map((lane) => [lane.id, lane.position]));
  if (!findings.rejected.length && !findings.missing.length) return null;
  return (
    <section className="mt-10">
      <h2 className="mb-2 text-xl font-bold">What does not count, and what is missing</h2>
      {beside?.rejections.words && <p className="mb-2 max-w-5xl">{beside.rejections.words}</p>}
      <ul>
        {findings.rejected.map((one) => (
          <li
            key={one.pass_id}
            className="grid gap-x-4 border-rule border-t py-1.5 md:grid-cols-[17rem_11rem_1fr]"
          >
            <Link to={`/studies/${study.id}/passes/${one.test_id}`} className="font-semibold">
              {one.test}
            </Link>
            <LaneName lane={lanes.get(one.lane_id) ?? 0} name={`${one.lane}, pass ${one.number}`} />
            <span>
              {one.state === "rejected" ? "rejected" : "did not run"}: {one.reason}
            </span>
          </li>
        ))}
        {findings.missing.map((one) => (
          <li
            key={`${one.test_id}-${one.lane_id}`}
            className="grid gap-x-4 border-rule border-t py-1.5 md:grid-cols-[17rem_11rem_1fr]"
          >
            <Link to={`/studies/${study.id}/passes/${one.test_id}`} className="font-semibold">
              {one.test}
            </Link>
            <LaneName lane={lanes.get(one.lane_id) ?? 0} name={one.lane} />
            <span>
              {one.accepted} of {count(one.passes_wanted, "planned pass", "planned passes")} accepted
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
