import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { client, data } from "../../api/client";
import { useFindings, useMay, useStudyChange } from "../../api/queries";
import { fontStyle, png, save } from "../../charts/export";
import { LevelChart } from "../../charts/LevelChart";
import { marginPicture, PICTURE } from "../../charts/margins";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { LaneName } from "../../controls/LaneMark";
import { Menu, MenuAction, MenuLink } from "../../controls/Menu";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { count, parted, percent } from "../../format";
import { MarginTable } from "./MarginTable";
import { MethodDialog, SCHOOL_WORDS } from "./MethodDialog";
import { SuitePanel } from "./SuitePanel";
import type { Study } from "./study";

type FindingsOut = Schemas["FindingsOut"];
type SuiteOut = Schemas["SuiteOut"];

export function Findings({ study }: { study: Study }) {
  const own = study.lanes_full.find((lane) => lane.baseline)?.id ?? 0;
  const [baseline, setBaseline] = useState(own);
  const [wanted, setOther] = useState<number | null>(null);
  const other = wanted === baseline ? null : wanted;
  const { data: findings, error } = useFindings(study.id, baseline, other ?? undefined);
  if (error) return <ErrorNotice error={error} />;
  if (!findings) return <Loading what="the findings" />;
  const averageLeads = findings.method.leading === "average_fps";
  const leading = averageLeads ? findings.average : findings.low_1;
  const second = averageLeads ? findings.low_1 : findings.average;
  if (!leading.tests && !second.tests) {
    return (
      <Empty title="No finding yet.">
        <p>{leading.sentence}</p>
        {study.lanes_full.length > 2 && (
          <div className="mt-4 flex justify-center">
            <Pair study={study} findings={findings} setBaseline={setBaseline} setOther={setOther} />
          </div>
        )}
        <p className="mt-3">
          <Link to={`/studies/${study.id}/intake`}>Hand in captures</Link>, then{" "}
          <Link to={`/studies/${study.id}/passes`}>accept the passes</Link> that are fit to count.
        </p>
      </Empty>
    );
  }
  return (
    <>
      <section aria-label="Answer" className="mb-5">
        <h1 className="max-w-5xl text-[2.25rem] leading-[1.1] font-semibold" style={{ fontStretch: "82%" }}>
          <Answer suite={leading} />
        </h1>
        <p className="mt-2 text-[1.1rem] text-soft">{second.sentence}</p>
      </section>
      <Caveats study={study} findings={findings} />
      <Bar study={study} findings={findings} setBaseline={setBaseline} setOther={setOther} />
      <MarginTable study={study} findings={findings} />
      <div className="mt-10 grid gap-10 lg:grid-cols-2">
        <SuitePanel findings={findings} suite={leading} title={averageLeads ? "Average fps" : "1% low"} />
        <SuitePanel findings={findings} suite={second} title={averageLeads ? "1% low" : "Average fps"} />
      </div>
      <section className="mt-10">
        <h2 className="mb-3 text-xl font-bold">Levels</h2>
        <LevelChart findings={findings} lanes={study.lanes_full} />
      </section>
      <NotCounted study={study} findings={findings} />
    </>
  );
}

/** The sentence: what answers set off, what it stands on smaller beneath. */
function Answer({ suite }: { suite: SuiteOut }) {
  const { claim, basis } = parted(suite.sentence);
  const found = /^(.* (?:is|are) )([\d.]+% (?:ahead|behind)|even)( .*)$/.exec(claim);
  return (
    <>
      {found ? (
        <>
          {found[1]}
          <span className="answer">{found[2]}</span>
          {found[3]}
        </>
      ) : (
        claim
      )}
      {basis && (
        <>
          <span className="sr-only"> (</span>
          <span className="mt-1 block text-[1.15rem] font-medium text-soft" style={{ fontStretch: "90%" }}>
            {basis}
          </span>
          <span className="sr-only">).</span>
        </>
      )}
    </>
  );
}

function Bar({
  study,
  findings,
  setBaseline,
  setOther,
}: {
  study: Study;
  findings: FindingsOut;
  setBaseline: (lane: number) => void;
  setOther: (lane: number) => void;
}) {
  const lead = useMay("lead");
  const [method, setMethod] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const finish = useStudyChange(study.id, (verb: "finish" | "reopen") =>
    data(client.POST(`/api/studies/{study_id}/${verb}`, { params: { path: { study_id: study.id } } })),
  );
  const name = `${study.question
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "")
    .toLowerCase()}-findings`;
  const exportAs = async (kind: "svg" | 1 | 2) => {
    setError(null);
    try {
      const svg = marginPicture(findings, await fontStyle());
      if (kind === "svg") save(new Blob([svg], { type: "image/svg+xml" }), `${name}.svg`);
      else
        save(
          await png(svg, PICTURE.width, PICTURE.height, kind),
          `${name}-${PICTURE.width * kind}x${PICTURE.height * kind}.png`,
        );
    } catch (problem) {
      setError(problem);
    }
  };
  const flips = [findings.average, findings.low_1].filter((suite) => suite.depends_on_method);
  return (
    <div className="mb-4">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
        <Pair study={study} findings={findings} setBaseline={setBaseline} setOther={setOther} />
        <p className="text-[0.92rem] text-soft">
          <span className="label">Method</span> {SCHOOL_WORDS[findings.method.suite_school]} over tests ·{" "}
          {SCHOOL_WORDS[findings.method.low_school]} lows · even within {percent(findings.method.equal_band)}%{" "}
          <button
            type="button"
            className="cursor-pointer underline underline-offset-3"
            onClick={() => setMethod(true)}
          >
            {lead && study.state === "open" ? "change" : "read more"}
          </button>
        </p>
        {flips.length > 0 && (
          <a
            href={`#agreement-${flips[0]?.figure}`}
            className="plain rounded-[3px] border border-accent bg-mark/50 px-2 py-0.5 text-[0.88rem] font-bold text-ink"
          >
            Depends on the method:{" "}
            {flips.map((suite) => (suite === findings.average ? "average" : "1% low")).join(" and ")}
          </a>
        )}
        <div className="no-print ml-auto flex items-center gap-2">
          <Menu label="Export">
            <MenuAction onSelect={() => exportAs("svg")}>Chart as SVG</MenuAction>
            <MenuAction onSelect={() => exportAs(1)}>Chart as PNG, 1920 × 1080</MenuAction>
            <MenuAction onSelect={() => exportAs(2)}>Chart as PNG, 3840 × 2160</MenuAction>
            <MenuLink
              href={`/api/studies/${study.id}/findings.csv?baseline=${findings.baseline.id}&other=${findings.other.id}`}
            >
              Table as CSV
            </MenuLink>
          </Menu>
          {lead && (
            <Button
              kind={study.state === "open" ? "main" : "plain"}
              disabled={finish.isPending}
              onClick={() => finish.mutate(study.state === "open" ? "finish" : "reopen")}
            >
              {study.state === "open" ? "Finish study" : "Open again"}
            </Button>
          )}
        </div>
      </div>
      {(error || finish.error) && (
        <div className="mt-3">
          <ErrorNotice error={error ?? finish.error} />
        </div>
      )}
      <MethodDialog study={study} open={method} onOpenChange={setMethod} />
    </div>
  );
}

/** Which lane is held against which: of two a choice of the baseline, of more a choice of both. */
function Pair({
  study,
  findings,
  setBaseline,
  setOther,
}: {
  study: Study;
  findings: FindingsOut;
  setBaseline: (lane: number) => void;
  setOther: (lane: number) => void;
}) {
  const options = study.lanes_full.map((lane) => ({ value: String(lane.id), label: lane.name }));
  if (options.length === 2) {
    return (
      <div className="flex items-center gap-2">
        <span className="label">Baseline</span>
        <Choice
          label="Baseline"
          value={String(findings.baseline.id)}
          onChange={(lane) => setBaseline(Number(lane))}
          options={options}
        />
      </div>
    );
  }
  return (
    <div className="flex items-center gap-2">
      <Select
        label="Lane"
        className="w-48!"
        value={String(findings.other.id)}
        onChange={(lane) => setOther(Number(lane))}
        options={options.filter((one) => one.value !== String(findings.baseline.id))}
      />
      <span className="label">over</span>
      <Select
        label="Baseline"
        className="w-48!"
        value={String(findings.baseline.id)}
        onChange={(lane) => setBaseline(Number(lane))}
        options={options}
      />
    </div>
  );
}

/** What differs besides the factor, with the reason it was accepted for; what nobody accepted says so. */
function Caveats({ study, findings }: { study: Study; findings: FindingsOut }) {
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

function NotCounted({ study, findings }: { study: Study; findings: FindingsOut }) {
  const lanes = new Map(study.lanes_full.map((lane) => [lane.id, lane.position]));
  if (!findings.rejected.length && !findings.missing.length) return null;
  return (
    <section className="mt-10">
      <h2 className="mb-2 text-xl font-bold">What does not count, and what is missing</h2>
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
              {one.accepted} of {count(one.planned, "planned pass", "planned passes")} accepted
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
