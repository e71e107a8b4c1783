import { memo, useMemo } from "react";
import { Link } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useMay, usePasses, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { NothingMatches, useFilter } from "../../controls/Filter";
import { LaneName } from "../../controls/LaneMark";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { PlaceHead } from "../../controls/PlaceHead";
import { useTitle } from "../../controls/useTitle";
import { count, fps } from "../../format";
import { ReportedTable } from "./Reported";
import { reasonWords, type Study, stateWords } from "./study";

type Pass = Schemas["PassOut"];
type Test = Schemas["TestOut"];

/** Rows whose chips are far out of sight are not laid out: four thousand cells stay fluid. */
const ROW_STYLE = { contentVisibility: "auto", containIntrinsicSize: "auto 3.4rem" } as const;

/** Every cell of the study with its passes: what is there, what waits, what is out. */
export function Passes({ study }: { study: Study }) {
  const { data: passes, error } = usePasses(study.id);
  const may = useMay("tester") && study.state === "open";
  useTitle("Passes", study.question);
  const acceptAll = useStudyChange(study.id, (ids: number[]) =>
    data(
      client.PUT("/api/studies/{study_id}/passes/state", {
        params: { path: { study_id: study.id } },
        body: { state: "accepted", reason: "", reason_code: "", pass_ids: ids },
      }),
    ),
  );
  const cells = useMemo(() => {
    const found = new Map<string, Pass[]>();
    for (const one of passes ?? []) {
      const key = `${one.test_id} ${one.lane_id}`;
      const cell = found.get(key);
      if (cell) cell.push(one);
      else found.set(key, [one]);
    }
    return found;
  }, [passes]);
  const { shown, text, setText } = useFilter(
    study.tests_full,
    (test: Test) => `${test.game} ${test.scene} ${test.condition}`,
  );
  if (error) return <ErrorNotice error={error} />;
  if (!passes) return <Loading what="the passes" />;
  const waiting = passes.filter((one) => one.state === "recorded");
  const stale = passes.filter((one) => one.stale).length;
  return (
    <>
      <PlaceHead
        level="part"
        title="Passes"
        says={
          waiting.length
            ? `${count(waiting.length, "pass waits", "passes wait")} for a decision. Look at a test to see its passes over each other.`
            : "No pass waits for a decision."
        }
        filters="Filter tests"
        filter={text}
        setFilter={setText}
      >
        {may && <ReportedTable study={study} />}
        {may && waiting.length > 0 && (
          <Button
            disabled={acceptAll.isPending}
            onClick={() => acceptAll.mutate(waiting.map((one) => one.id))}
          >
            Accept all {waiting.length}
          </Button>
        )}
      </PlaceHead>
      {stale > 0 && study.state === "open" && (
        <p role="status" className="mb-4 border-l-4 border-ink bg-raised px-4 py-2">
          {count(stale, "capture is", "captures are")} being measured again; the figures follow by themselves.
        </p>
      )}
      <ErrorNotice error={acceptAll.error} />
      {!shown.length && <NothingMatches text={text} what="test" />}
      <div className="relative overflow-x-auto">
        <table className="w-full min-w-[56rem] border-collapse">
          <thead>
            <tr>
              <th className="label w-[15rem] pb-1">Test</th>
              {study.lanes_full.map((lane) => (
                <th key={lane.id} className="pb-1 pl-4 font-semibold">
                  <LaneName lane={lane.position} name={lane.name} />
                  <span className="block pl-5 text-[0.82rem] font-normal text-mute">
                    average · 1% low, fps
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map((test) => (
              <Row key={test.id} study={study} test={test} cells={cells} />
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}

/** A row is drawn once: filtering takes rows away and draws none of the others again. */
const Row = memo(function Row({
  study,
  test,
  cells,
}: {
  study: Study;
  test: Test;
  cells: Map<string, Pass[]>;
}) {
  return (
    <tr className="border-rule border-t hover:bg-raised" style={ROW_STYLE}>
      <th scope="row" className="py-2 pr-3">
        <Link to={`/studies/${study.id}/passes/${test.id}`} className="plain font-semibold hover:underline">
          {test.game}
        </Link>
        <span className="block text-[0.84rem] leading-tight text-mute">
          {test.scene}, {test.condition}
        </span>
      </th>
      {study.lanes_full.map((lane) => (
        <td key={lane.id} className="py-2 pl-4">
          <ul className="flex flex-wrap gap-1.5">
            {(cells.get(`${test.id} ${lane.id}`) ?? []).map((one) => (
              <li key={one.id}>
                <PassChip one={one} to={`/studies/${study.id}/passes/${test.id}?pass=${one.id}`} />
              </li>
            ))}
          </ul>
        </td>
      ))}
    </tr>
  );
});

const CHIP: Record<string, string> = {
  planned: "border-dashed border-mute text-mute",
  recorded: "border-accent bg-mark/50 border-2",
  accepted: "border-mute bg-raised",
  rejected: "border-mute text-mute line-through decoration-1",
  did_not_run: "border-mute text-mute italic",
};

const ROLE_MARK: Record<string, string> = { warm_up: "warm-up", control: "control", repeat: "repeat" };

function PassChip({ one, to }: { one: Pass; to: string }) {
  const why = reasonWords(one);
  const role = ROLE_MARK[one.role];
  const sort = [role, one.simulated && "simulated: no result"].filter(Boolean).join(", ");
  const label = `Pass ${one.number}${sort ? `, ${sort}` : ""}, ${stateWords(one.state)}${why ? `: ${why}` : ""}`;
  const found = one.figures;
  const told = one.reported;
  return (
    <Link
      to={to}
      title={label}
      className={`plain figure inline-block min-w-[7.2rem] rounded-[3px] border px-2 py-0.5 text-[0.86rem] whitespace-nowrap hover:border-ink ${CHIP[one.state]}`}
    >
      <span className="sr-only">{label}: </span>
      {one.simulated && (
        <span className="mr-1 bg-mark px-0.5 font-sans text-[0.72rem]" aria-hidden="true">
          simulated
        </span>
      )}
      {found?.average_fps != null && found.low_1_fps != null ? (
        <>
          {fps(found.average_fps)} · {fps(found.low_1_fps)}
          {found.cap === "capped" && <span className="font-sans text-[0.78rem] text-mute"> cap</span>}
        </>
      ) : told ? (
        <>
          {told.average_fps == null ? "–" : fps(told.average_fps)} ·{" "}
          {told.low_1_fps == null ? "–" : fps(told.low_1_fps)}
          <span className="font-sans text-[0.78rem] text-mute"> told</span>
        </>
      ) : (
        <span className="font-sans">{stateWords(one.state)}</span>
      )}
      {role && <span className="font-sans text-[0.78rem] text-mute"> {role}</span>}
    </Link>
  );
}
