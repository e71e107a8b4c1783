import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { client, data } from "../../api/client";
import { useBeside } from "../../api/doubts";
import { type Looking, useFindings, useKindAnswer, useMay, useStudyChange } from "../../api/queries";
import { words } from "../../api/words";
import { fileName, savePicture } from "../../charts/export";
import { LevelChart } from "../../charts/LevelChart";
import { MarginPicture, PICTURE, picturePages } from "../../charts/MarginPicture";
import { DARK_PICTURE, LIGHT_PICTURE, type Theme } from "../../charts/marks";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { Menu, MenuAction, MenuLink } from "../../controls/Menu";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { useTitle } from "../../controls/useTitle";
import { count, percent } from "../../format";
import type { Choosing, Study } from "../../model/study";
import { ForWhom } from "../answers/ForWhom";
import { LeaveOlderOut } from "../answers/JoinOlder";
import { KindAnswer } from "../answers/KindAnswer";
import { useFront } from "../answers/LanesInFront";
import { LimitsSection } from "../answers/Limits";
import { MethodDialog } from "../new-study/MethodDialog";
import { AgainstAnother } from "./Against";
import { AllLanes, ByGroup } from "./BriefTables";
import { BenchSays, Caveats, NotCounted, OddButReal, Shifts, Stale } from "./FindingNotes";
import { InParts } from "./InParts";
import { MarginTable } from "./MarginTable";
import { SuitePanel } from "./SuitePanel";

type SuiteOut = Schemas["SuiteOut"];

export function Findings({ study }: { study: Study }) {
  const [looking, look] = useLooking(study);
  const { data: findings, error } = useFindings(study.id, looking);
  const { data: beside } = useBeside(study.id, looking);
  const [search] = useSearchParams();
  const { shown } = useFront();
  const own = study.kind !== "a_b";
  const { data: answer, error: trouble } = useKindAnswer(
    study.id,
    search.get("targets") ?? "",
    search.get("joined") ?? "",
    own,
  );
  useTitle("Findings", study.question);
  if (error) return <ErrorNotice error={error} />;
  if (!findings || (own && !answer && !trouble)) return <Loading what="the findings" />;
  const averageLeads = findings.method.leading === "average_fps";
  const leading = averageLeads ? findings.average : findings.low_1;
  const second = averageLeads ? findings.low_1 : findings.average;
  const choice = { study, findings, look };
  if (!leading.tests && !second.tests) {
    return (
      <Empty title="No finding yet.">
        <p>{leading.sentence.text}</p>
        {(study.lanes_full.length > 2 || findings.groups.length > 1) && (
          <div className="mt-4 flex flex-wrap justify-center gap-4">
            <Pair {...choice} />
            <Groups {...choice} />
          </div>
        )}
        <p className="mt-3">
          <Link to={`/studies/${study.id}/intake`}>Hand in captures</Link>, then{" "}
          <Link to={`/studies/${study.id}/passes`}>accept the passes</Link> that are fit to count.
        </p>
      </Empty>
    );
  }
  // A study of another kind answers its own question first, and one lane over another stands below.
  const first = answer?.sentence ? answer : null;
  const Heading = first ? "h2" : "h1";
  return (
    <>
      <ErrorNotice error={trouble} />
      {trouble && search.get("joined") && <LeaveOlderOut />}
      {first && <KindAnswer study={study} answer={first} />}
      <section aria-label={first ? "One lane over another" : "Answer"} className="mb-5">
        <Heading
          className={`max-w-5xl leading-[1.1] font-semibold ${first ? "mt-10 text-[1.6rem]" : "text-[2.25rem]"}`}
          style={{ fontStretch: "82%" }}
        >
          <Answer suite={leading} />
        </Heading>
        <p className="mt-2 text-[1.1rem] text-soft">{second.sentence.text}</p>
        {leading.no_numbers && <p className="mt-2 text-[1.1rem] font-semibold">{leading.no_numbers}</p>}
      </section>
      <Stale findings={findings} />
      <BenchSays findings={findings} />
      <Shifts study={study} beside={beside} />
      <Caveats study={study} findings={findings} />
      <Bar {...choice} />
      <MarginTable study={study} findings={findings} looking={looking} />
      <ForWhom study={study} looking={looking} />
      <ByGroup {...choice} />
      <InParts study={study} findings={findings} looking={looking} />
      <LimitsSection study={study} looking={looking} />
      <AllLanes {...choice} />
      <div className="mt-10 grid gap-10 lg:grid-cols-2">
        {[averageLeads, !averageLeads].map((average) => (
          <SuitePanel
            key={String(average)}
            study={study}
            looking={looking}
            findings={findings}
            suite={average ? findings.average : findings.low_1}
            title={average ? "Average fps" : "1% low"}
          />
        ))}
      </div>
      <section className="mt-10">
        <h2 className="mb-3 text-xl font-bold">Levels</h2>
        <LevelChart findings={findings} lanes={study.lanes_full.filter((lane) => shown(lane.id))} />
      </section>
      <AgainstAnother study={study} looking={looking} />
      <OddButReal study={study} beside={beside} />
      <NotCounted study={study} findings={findings} beside={beside} />
    </>
  );
}

/** What is looked at, from the address, so that it can be shared and Back undoes a choice. */
function useLooking(study: Study): [Looking, (part: Looking) => void] {
  const [search, setSearch] = useSearchParams();
  const lane = (name: string) => {
    const id = Number(search.get(name));
    return study.lanes_full.some((one) => one.id === id) ? id : undefined;
  };
  const baseline = lane("baseline");
  const other = lane("other");
  const group = study.groups.find((one) => one.key === search.get("group"))?.key;
  const looking: Looking = {
    ...(baseline ? { baseline } : {}),
    ...(other && other !== baseline ? { other } : {}),
    ...(group ? { group } : {}),
  };
  const look = (part: Looking) =>
    setSearch((before) => {
      const next = new URLSearchParams(before);
      for (const [name, value] of Object.entries(part)) next.set(name, String(value));
      if (next.get("baseline") === next.get("other")) next.delete("other");
      return next;
    });
  return [looking, look];
}

/** Which group of tests is looked at; a suite never mixes two. */
function Groups({ findings, look }: Choosing) {
  if (findings.groups.length < 2) return null;
  return (
    <div className="flex items-center gap-2">
      <span className="label">Tests</span>
      <Select
        label="Group of tests"
        className="w-60!"
        value={findings.group}
        onChange={(group) => look({ group })}
        options={findings.groups.map((one) => ({
          value: one.key,
          label: `${one.words}, ${count(one.games, "game")}`,
        }))}
      />
    </div>
  );
}

/** The sentence: what answers set off, what it stands on smaller beneath. */
function Answer({ suite }: { suite: SuiteOut }) {
  const { before, answer, after, basis } = suite.sentence;
  return (
    <>
      {before}
      {answer && <span className="answer">{answer}</span>}
      {after}
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

function Bar({ study, findings, look }: Choosing) {
  const lead = useMay("lead");
  const [method, setMethod] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const finish = useStudyChange(study.id, (verb: "finish" | "reopen") =>
    data(client.POST(`/api/studies/{study_id}/${verb}`, { params: { path: { study_id: study.id } } })),
  );
  const name = `${fileName(study.question)}-findings`;
  const exportAs = async (kind: "svg" | 1 | 2, theme: Theme) => {
    setError(null);
    try {
      const pages = picturePages(findings);
      for (let page = 0; page < pages; page++) {
        await savePicture(
          (style) => <MarginPicture findings={findings} theme={theme} style={style} page={page} />,
          pages > 1 ? `${name}-${page + 1}-of-${pages}` : name,
          kind,
          PICTURE,
        );
      }
    } catch (problem) {
      setError(problem);
    }
  };
  const looked = `baseline=${findings.baseline.id}&other=${findings.other.id}&group=${encodeURIComponent(findings.group)}`;
  const flips = [findings.average, findings.low_1].filter((suite) => suite.depends_on_method);
  return (
    <div className="mb-4">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
        <Pair study={study} findings={findings} look={look} />
        <Groups study={study} findings={findings} look={look} />
        <p className="text-[0.92rem] text-soft">
          <span className="label">Method</span> {words().schools[findings.method.suite_school]} over tests ·{" "}
          {words().schools[findings.method.low_school]} lows · even within{" "}
          {percent(findings.method.equal_band)}%{" "}
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
            <MenuAction onSelect={() => exportAs("svg", LIGHT_PICTURE)}>Chart as SVG</MenuAction>
            <MenuAction onSelect={() => exportAs(1, LIGHT_PICTURE)}>Chart as PNG, 1920 × 1080</MenuAction>
            <MenuAction onSelect={() => exportAs(2, LIGHT_PICTURE)}>Chart as PNG, 3840 × 2160</MenuAction>
            <MenuAction onSelect={() => exportAs(1, DARK_PICTURE)}>Chart as PNG, dark</MenuAction>
            <MenuLink href={`/api/studies/${study.id}/findings.csv?${looked}`}>Table as CSV</MenuLink>
            <MenuLink href={`/api/studies/${study.id}/findings.ods?${looked}`}>
              Table as OpenDocument
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
function Pair(choice: Choosing) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <ChosenPair {...choice} />
      <KeepBaseline {...choice} />
    </div>
  );
}

/** Another baseline than the study's own may become it. */
function KeepBaseline({ study, findings }: Choosing) {
  const may = useMay("lead") && study.state === "open";
  const keep = useStudyChange(study.id, (lane: number) =>
    data(
      client.PUT("/api/studies/{study_id}/baseline/{lane_id}", {
        params: { path: { study_id: study.id, lane_id: lane } },
      }),
    ),
  );
  const own = study.lanes_full.find((lane) => lane.baseline)?.id;
  if (!may || own === findings.baseline.id) return null;
  return (
    <>
      <Button disabled={keep.isPending} onClick={() => keep.mutate(findings.baseline.id)}>
        Make it the study’s baseline
      </Button>
      <ErrorNotice error={keep.error} />
    </>
  );
}

function ChosenPair({ study, findings, look }: Choosing) {
  const options = study.lanes_full.map((lane) => ({ value: String(lane.id), label: lane.name }));
  if (options.length === 2) {
    return (
      <div className="flex items-center gap-2">
        <span className="label">Baseline</span>
        <Choice
          label="Baseline"
          value={String(findings.baseline.id)}
          onChange={(lane) => look({ baseline: Number(lane) })}
          options={options}
        />
      </div>
    );
  }
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Select
        label="Lane"
        className="w-48!"
        value={String(findings.other.id)}
        onChange={(lane) => look({ baseline: findings.baseline.id, other: Number(lane) })}
        options={options.filter((one) => one.value !== String(findings.baseline.id))}
      />
      <span className="label">over</span>
      <Select
        label="Baseline"
        className="w-48!"
        value={String(findings.baseline.id)}
        onChange={(lane) => look({ baseline: Number(lane) })}
        options={options}
      />
    </div>
  );
}
