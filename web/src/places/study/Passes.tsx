import { useState } from "react";
import { Link } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useMay, usePasses, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { LaneName } from "../../controls/LaneMark";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { PlaceHead } from "../../controls/PlaceHead";
import { count, fps } from "../../format";
import { STATE_WORDS, type Study } from "./study";

type Pass = Schemas["PassOut"];

/** Every cell of the study with its passes: what is there, what waits, what is out. */
export function Passes({ study }: { study: Study }) {
  const { data: passes, error } = usePasses(study.id);
  const [filter, setFilter] = useState("");
  const may = useMay("tester") && study.state === "open";
  const acceptAll = useStudyChange(study.id, async (ids: number[]) => {
    for (const id of ids) {
      await data(
        client.PUT("/api/studies/passes/{pass_id}/state", {
          params: { path: { pass_id: id } },
          body: { state: "accepted", reason: "" },
        }),
      );
    }
  });
  if (error) return <ErrorNotice error={error} />;
  if (!passes) return <Loading what="the passes" />;
  const waiting = passes.filter((one) => one.state === "recorded");
  const tests = study.tests_full.filter((test) =>
    `${test.game} ${test.scene} ${test.condition}`.toLowerCase().includes(filter.toLowerCase()),
  );
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
        filter={filter}
        setFilter={setFilter}
      >
        {may && waiting.length > 0 && (
          <Button
            disabled={acceptAll.isPending}
            onClick={() => acceptAll.mutate(waiting.map((one) => one.id))}
          >
            Accept all {waiting.length}
          </Button>
        )}
      </PlaceHead>
      <ErrorNotice error={acceptAll.error} />
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
            {tests.map((test) => (
              <tr key={test.id} className="border-rule border-t hover:bg-raised">
                <th scope="row" className="py-2 pr-3">
                  <Link
                    to={`/studies/${study.id}/passes/${test.id}`}
                    className="plain font-semibold hover:underline"
                  >
                    {test.game}
                  </Link>
                  <span className="block text-[0.84rem] leading-tight text-mute">
                    {test.scene}, {test.condition}
                  </span>
                </th>
                {study.lanes_full.map((lane) => (
                  <td key={lane.id} className="py-2 pl-4">
                    <ul className="flex flex-wrap gap-1.5">
                      {passes
                        .filter((one) => one.test_id === test.id && one.lane_id === lane.id)
                        .map((one) => (
                          <li key={one.id}>
                            <PassChip
                              one={one}
                              to={`/studies/${study.id}/passes/${test.id}?pass=${one.id}`}
                            />
                          </li>
                        ))}
                    </ul>
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}

const CHIP: Record<string, string> = {
  planned: "border-dashed border-mute text-mute",
  recorded: "border-accent bg-mark/50 border-2",
  accepted: "border-mute bg-raised",
  rejected: "border-mute text-mute line-through decoration-1",
  did_not_run: "border-mute text-mute italic",
};

function PassChip({ one, to }: { one: Pass; to: string }) {
  const label = `Pass ${one.number}, ${STATE_WORDS[one.state]}${one.reason ? `: ${one.reason}` : ""}`;
  const found = one.figures;
  return (
    <Link
      to={to}
      title={label}
      className={`plain figure inline-block min-w-[7.2rem] rounded-[3px] border px-2 py-0.5 text-[0.86rem] whitespace-nowrap hover:border-ink ${CHIP[one.state]}`}
    >
      <span className="sr-only">{label}: </span>
      {found?.average_fps != null && found.low_1_fps != null ? (
        <>
          {fps(found.average_fps)} · {fps(found.low_1_fps)}
          {found.cap === "capped" && <span className="font-sans text-[0.78rem] text-mute"> cap</span>}
        </>
      ) : (
        <span className="font-sans">{STATE_WORDS[one.state]}</span>
      )}
    </Link>
  );
}
