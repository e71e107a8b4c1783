import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import type { Looking } from "../../api/queries";
import { DataTable } from "../../controls/DataTable";
import { ErrorNotice } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { useAddress } from "../../controls/useAddress";
import { interval, signedPercent } from "../../format";
import type { Study } from "../../model/study";
import { StudyPick } from "../answers/StudyPick";

const FIGURES: Record<string, string> = {
  average_fps: "Average fps",
  low_1: "1% low",
  "low_0.1": "0.1% low",
};

/** Another study of the same question beside this one: do they part, and what differs between them? */
export function AgainstAnother({ study, looking }: { study: Study; looking: Looking }) {
  const [search] = useSearchParams();
  const [, set] = useAddress();
  const number = (name: string) => Number(search.get(name)) || undefined;
  const chosen = number("against");
  const theirs = { their_baseline: number("their_baseline"), their_other: number("their_other") };
  const { data: found, error } = useQuery({
    queryKey: ["study", study.id, "against", chosen, looking, theirs],
    enabled: chosen !== undefined,
    retry: false,
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/findings/against/{other_study_id}", {
          params: {
            path: { study_id: study.id, other_study_id: chosen ?? 0 },
            query: {
              ...looking,
              ...(theirs.their_baseline ? { their_baseline: theirs.their_baseline } : {}),
              ...(theirs.their_other ? { their_other: theirs.their_other } : {}),
            },
          },
        }),
      ),
  });
  const lanes = (found?.lanes ?? []).map((one) => ({ value: String(one.id), label: one.name }));
  return (
    <section className="mt-10" aria-label="Beside another study">
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <h2 className="text-xl font-bold">Beside another study</h2>
        <StudyPick
          label="Another study"
          none="choose a study of the same question"
          not={study.id}
          chosen={chosen ? String(chosen) : ""}
          named={found?.question}
          choose={(id) => set({ against: id, their_baseline: "", their_other: "" })}
        />
        {found && (
          <>
            <Select
              label="Their lane"
              className="w-44!"
              value={String(found.other.id)}
              onChange={(id) => set({ their_baseline: String(found.baseline.id), their_other: id })}
              options={lanes.filter((one) => one.value !== String(found.baseline.id))}
            />
            <span className="label">over</span>
            <Select
              label="Their baseline"
              className="w-44!"
              value={String(found.baseline.id)}
              onChange={(id) => set({ their_baseline: id, their_other: "" })}
              options={lanes}
            />
          </>
        )}
      </div>
      <ErrorNotice error={error} />
      {found && chosen && (
        <>
          {found.figures[0] && <p className="max-w-5xl text-[1.1rem]">{found.figures[0].words}</p>}
          <div className="mt-3">
            <DataTable
              narrow
              caption="Margins of both studies over the tests that both ran"
              heads={[
                "Figure",
                "Here",
                <Link key="there" to={`/studies/${found.study_id}/findings`}>
                  There
                </Link>,
                "They part by",
              ]}
              rows={found.figures
                .filter((one) => one.here)
                .map((one) => ({
                  key: one.figure,
                  cells: [FIGURES[one.figure] ?? one.figure, ...[one.here, one.there, one.apart].map(told)],
                }))}
            />
          </div>
          <h3 className="mt-4 font-bold">What differs between them</h3>
          <ul className="text-soft">
            {found.differences.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** A margin of one of the studies, with its ends. */
const told = (share: Schemas["AnswerShare"] | null, at: number) =>
  share ? (
    <span key={at} className="figure">
      {signedPercent(share.margin)}%{" "}
      <span className="text-[0.82rem] text-mute">({interval(share.low, share.high)})</span>
    </span>
  ) : (
    "–"
  );
