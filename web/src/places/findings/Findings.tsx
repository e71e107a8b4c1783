import { useMemo } from "react";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useBeside } from "../../api/doubts";
import { type Looking, useFindings, useKindAnswer } from "../../api/queries";
import { Headline } from "../../controls/Headline";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { besideText } from "../../model/sentences";
import type { Study } from "../../model/study";
import { ForWhom } from "../answers/ForWhom";
import { JoinOlder, LeaveOlderOut, OlderLanes, withOlder } from "../answers/JoinOlder";
import { KindAnswer, KindNumbers } from "../answers/KindAnswer";
import { useFront } from "../answers/LanesInFront";
import { LimitsSection } from "../answers/Limits";
import { anAnswer, Keep } from "../reports/Keep";
import { AgainstAnother } from "./Against";
import { Bar } from "./Bar";
import { AllLanes, ByGroup } from "./BriefTables";
import { Groups, Pair } from "./ChosenPair";
import { type Door, Doors, useDoor } from "./Doors";
import { BenchSays, Caveats, NotCounted, OddButReal, Shifts, Stale } from "./FindingNotes";
import { InParts } from "./InParts";
import { CrossingLine, LevelsAt } from "./LevelsAt";
import { MarginTable } from "./MarginTable";
import { SuitePanel } from "./SuitePanel";

/** The answer to a study's question with its picture; all else is a door away. */
export function Findings({ study: itself }: { study: Study }) {
  const [looking, look] = useLooking(itself);
  const { data: findings, error } = useFindings(itself.id, looking);
  const study = useMemo(() => withOlder(itself, findings?.joined ?? []), [itself, findings?.joined]);
  const { data: beside } = useBeside(study.id, looking);
  const [search] = useSearchParams();
  const { shown } = useFront();
  const [, openDoor] = useDoor();
  const own = study.kind !== "a_b";
  const { data: answer, error: trouble } = useKindAnswer(
    study.id,
    search.get("targets") ?? "",
    search.get("joined") ?? "",
    own,
  );
  useTitle("Findings", study.question);
  if (error)
    return (
      <>
        <ErrorNotice error={error} />
        {looking.joined && <LeaveOlderOut />}
      </>
    );
  if (!findings || (own && !answer && !trouble)) return <Loading what="the findings" />;
  const averageLeads = findings.method.leading === "average_fps";
  const leading = averageLeads ? findings.average : findings.low_1;
  const second = averageLeads ? findings.low_1 : findings.average;
  const choice = { study, findings, look };
  const nothing = !leading.tests && !second.tests;
  // A study of another kind answers its own question, and one lane over another is a door away.
  const first = answer?.sentence && !answer.sentence.empty ? answer : null;
  const why = own ? answer?.sentence?.text : leading.sentence.text;
  if (nothing && !first) {
    return (
      <Empty title="No finding yet.">
        {why && <p>{why}</p>}
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
  const flips = leading.depends_on_method || second.depends_on_method;
  const out = findings.rejected.length + findings.missing.length + (beside?.odd.length ?? 0);
  const chosen = (
    <>
      <Pair {...choice} />
      <Groups {...choice} />
    </>
  );
  const pair = (
    <>
      <Headline sentence={leading.sentence} as={own ? "h2" : "h1"} size={own ? "second" : "first"} />
      <CrossingLine study={study} looking={looking} />
      <p className="mt-2 text-[1.1rem] text-soft">{besideText(second.sentence, leading.sentence)}</p>
    </>
  );
  const doors: (Door | false)[] = [
    first !== null && {
      key: "1",
      id: "numbers",
      name: "Numbers",
      show: () => <KindNumbers study={study} answer={first} />,
    },
    own && {
      key: "2",
      id: "pair",
      name: "Two lanes",
      show: () => (
        <section aria-label="One lane over another" className="mt-6">
          {pair}
          <div className="my-4 flex flex-wrap items-center gap-x-6 gap-y-2">{chosen}</div>
          <MarginTable study={study} findings={findings} looking={looking} />
          <AllLanes {...choice} />
        </section>
      ),
    },
    {
      key: "3",
      id: "readers",
      name: "For whom",
      show: () => <ForWhom study={study} looking={looking} />,
    },
    {
      key: "4",
      id: "parts",
      name: "Groups and sets",
      show: () => (
        <>
          <ByGroup {...choice} />
          <InParts study={study} findings={findings} looking={looking} />
        </>
      ),
    },
    {
      key: "5",
      id: "limits",
      name: "Limits",
      show: () => <LimitsSection study={study} looking={looking} />,
    },
    {
      key: "6",
      id: "method",
      name: "Method and agreement",
      line: flips && "the verdict depends on it",
      show: () => (
        <div className="mt-6 grid gap-10 lg:grid-cols-2">
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
      ),
    },
    {
      key: "7",
      id: "levels",
      name: "Levels",
      show: () => (
        <LevelsAt
          study={study}
          looking={looking}
          findings={findings}
          lanes={study.lanes_full.filter((lane) => shown(lane.id))}
        />
      ),
    },
    {
      key: "8",
      id: "beside",
      name: "Beside another study",
      show: () => (
        <>
          <JoinOlder study={study} />
          <AgainstAnother study={study} looking={looking} />
        </>
      ),
    },
    out > 0 && {
      key: "9",
      id: "out",
      name: "What does not count",
      line: String(out),
      show: () => (
        <>
          <OddButReal study={study} beside={beside} />
          <NotCounted study={study} findings={findings} beside={beside} />
        </>
      ),
    },
  ];
  return (
    <>
      <ErrorNotice error={trouble} />
      {trouble && search.get("joined") && <LeaveOlderOut />}
      {first && <KindAnswer study={study} answer={first} />}
      {/* What nobody asked is never put in place of an answer. */}
      {own && !first && <Empty title="No answer to this question yet.">{why && <p>{why}</p>}</Empty>}
      {!own && <section aria-label="Answer">{pair}</section>}
      <OlderLanes joined={findings.joined} />
      <div className="mt-5">
        <Stale findings={findings} />
        <BenchSays findings={findings} />
        <Shifts study={study} beside={beside} />
        <Caveats study={study} findings={findings} />
        <Bar
          study={study}
          findings={findings}
          openMethod={() => openDoor("method")}
          keep={<Keep study={study} offer={() => anAnswer(keeps(study, looking, own && !!first, search))} />}
        >
          {!own && chosen}
        </Bar>
        {!own && <MarginTable study={study} findings={findings} looking={looking} />}
        {!own && <AllLanes {...choice} />}
      </div>
      <Doors doors={doors.filter((one) => one !== false)} />
    </>
  );
}

/** What is looked at, as a report keeps it. Lanes of an older study are not kept: a report asks for them anew. */
function keeps(study: Study, looking: Looking, own: boolean, search: URLSearchParams): Schemas["LookIn"] {
  const figure = search.get("figure");
  const targets = (search.get("targets") ?? "")
    .split(",")
    .map(Number)
    .filter((rate) => rate > 0);
  const lane = (id: number | undefined) => study.lanes_full.some((one) => one.id === id);
  return {
    own,
    ...(!own && lane(looking.baseline) && { baseline: looking.baseline ?? null }),
    ...(!own && lane(looking.other) && { other: looking.other ?? null }),
    ...(looking.group && { group: looking.group }),
    figure: figure === "low_1" || figure === "average_fps" ? figure : "",
    targets,
  };
}

/** What is looked at, from the address, so that it can be shared and Back undoes a choice. */
function useLooking(study: Study): [Looking, (part: Looking) => void] {
  const [search, setSearch] = useSearchParams();
  const joined = Number(search.get("joined")) || undefined;
  // Of an older study only the server knows the lanes.
  const lane = (name: string) => {
    const id = Number(search.get(name));
    return id && (joined || study.lanes_full.some((one) => one.id === id)) ? id : undefined;
  };
  const baseline = lane("baseline");
  const other = lane("other");
  const group = study.groups.find((one) => one.key === search.get("group"))?.key;
  const looking: Looking = {
    ...(baseline ? { baseline } : {}),
    ...(other && other !== baseline ? { other } : {}),
    ...(group ? { group } : {}),
    ...(joined ? { joined } : {}),
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
