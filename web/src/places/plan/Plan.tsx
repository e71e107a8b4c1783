import { useHotkeys } from "react-hotkeys-hook";
import { Link } from "react-router";
import { client, data, Problem, type Schemas } from "../../api/client";
import { useNextHour } from "../../api/next-hour";
import { useMay, usePlan, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { useKeysOf } from "../../controls/Keys";
import { NextBlock } from "../../controls/NextBlock";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { benchMoment, count, hours, moment, percent } from "../../format";
import type { Study } from "../../model/study";
import { Fairness } from "./Fairness";
import { PlannedTests } from "./PlannedTests";
import { Time } from "./Time";

type PlanOut = Schemas["PlanOut"];

const KEYS = [
  { key: "y", does: "say that the study is fair and ready to run" },
  { key: "← →", does: "in the timeline: the block before, the block after" },
  { key: "[ ]", does: "in the timeline: run this block earlier, later" },
];

/** What would settle most in the time that is left, with what that gains over going on as planned. */
function NextHour({ study }: { study: number }) {
  const { data: found, error } = useNextHour(study, null);
  if (error) return <ErrorNotice error={error} />;
  if (!found || (found.why_not && found.left_alone.length === 0)) return null;
  return (
    <section aria-label="The next hour" className="sheet mb-7 max-w-[60rem] p-5">
      <h2 className="mb-2 font-bold text-xl">What would settle most next</h2>
      <NextBlock found={found} />
      <p className="mt-2">
        At <Link to={`/studies/${study}/run`}>Run</Link>, <kbd className="key">h</kbd> takes it.
      </p>
    </section>
  );
}

/** Steps 1 to 4: fair lanes, enough passes, the right order, in time. */
export function Plan({ study }: { study: Study }) {
  const { data: plan, error } = usePlan(study.id);
  const lead = useMay("lead") && study.state === "open";
  const ready = useStudyChange(study.id, () =>
    data(client.POST("/api/studies/{study_id}/ready", { params: { path: { study_id: study.id } } })),
  );
  useHotkeys("y", () => ready.mutate(undefined), { enabled: lead && !study.ready_at });
  useKeysOf("Plan", KEYS);
  useTitle("Plan", study.question);
  if (error) return <ErrorNotice error={error} />;
  if (!plan) return <Loading what="the plan" />;
  const open = plan.objections.filter((one) => !one.acceptance).length;
  return (
    <>
      <section
        aria-label="State of the plan"
        className="mb-7 flex flex-wrap items-start justify-between gap-4"
      >
        <div>
          <h1 className="text-[1.9rem] leading-tight font-semibold" style={{ fontStretch: "82%" }}>
            <Verdict study={study} plan={plan} open={open} />
          </h1>
          <p className="mt-1.5 text-[1.05rem] text-soft">
            <Outlook plan={plan} />
          </p>
        </div>
        {lead && !study.ready_at && (
          <Button kind={open ? "plain" : "main"} shortcut="y" onClick={() => ready.mutate(undefined)}>
            Fair and ready to run
          </Button>
        )}
      </section>
      {ready.error instanceof Problem && (
        <div className="mb-6">
          <ErrorNotice error={ready.error} />
        </div>
      )}
      {plan.most_passes !== null && study.counts.accepted > 0 && <NextHour study={study.id} />}
      <Fairness study={study} plan={plan} lead={lead} />
      <PlannedTests study={study} plan={plan} lead={lead} />
      <Time study={study} plan={plan} lead={lead} />
    </>
  );
}

/** Is it fair, in a sentence. */
function Verdict({ study, plan, open }: { study: Study; plan: PlanOut; open: number }) {
  if (study.ready_at && !open) {
    const accepted = plan.objections.length;
    return (
      <>
        The lanes are <span className="answer">fair{accepted ? ", with a caveat" : ""}</span>
        <span className="ml-3 text-[1.05rem] font-medium text-soft" style={{ fontStretch: "90%" }}>
          called ready {moment(study.ready_at)}
        </span>
      </>
    );
  }
  if (!open)
    return (
      <>The lanes differ in the factor{plan.objections.length ? " and in what was accepted" : " alone"}.</>
    );
  const silent = plan.objections.some((one) => one.key === "unsaid" && !one.acceptance);
  const differences = open - Number(silent);
  if (!differences)
    return (
      <>
        Of the machine {plan.unsaid.length === 1 ? "one thing is" : `${plan.unsaid.length} things are`}{" "}
        <span className="answer">not recorded</span>: write them down, or say why they may stay open
      </>
    );
  return (
    <>
      <span className="answer">{count(differences, "difference")}</span> {differences === 1 ? "is" : "are"} in
      the way of a fair answer{silent && ", and not everything is recorded"}
    </>
  );
}

/** Is it enough, does it fit: in two sentences. */
function Outlook({ plan }: { plan: PlanOut }) {
  const figure = plan.leading === "low_1" ? "1% low" : "average fps";
  const tests = plan.needs.length - plan.dropped.length;
  const tells =
    plan.suite_resolvable == null
      ? ""
      : tests === 1
        ? `The test can show a margin of ${percent(plan.suite_resolvable)}% in ${figure}.`
        : `All ${tests} tests together can show a margin of ${percent(plan.suite_resolvable)}% in ${figure}; a single test needs a larger one.`;
  const { chosen } = plan;
  if (!chosen.passes && !plan.dropped.length && !plan.gone.length && !plan.unplaceable)
    return <>{tells} Nothing is left to run.</>;
  const ends = chosen.ends ? `done ${benchMoment(chosen.ends)}` : "nothing fits";
  return (
    <>
      {tells} {count(chosen.passes, "pass", "passes")} to run, {hours(chosen.total_s)} at the bench, {ends}.{" "}
      {plan.late && (
        <strong className="text-ink">
          {plan.dropped.length
            ? `${count(plan.dropped.length, "test")} must be left out to keep the dates.`
            : "It does not fit the time there is."}
        </strong>
      )}
    </>
  );
}
