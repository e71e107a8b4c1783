import { client, data } from "../../api/client";
import { useMay, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { ErrorNotice } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { count } from "../../format";
import type { Choosing } from "../../model/study";

/** Which group of tests is looked at; a suite never mixes two. */
export function Groups({ findings, look }: Choosing) {
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

/** Which lane is held against which: of two a choice of the baseline, of more a choice of both. */
export function Pair(choice: Choosing) {
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
