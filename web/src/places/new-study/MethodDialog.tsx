import { type FormEvent, useState } from "react";
import { client, data } from "../../api/client";
import { useMay, useStudyChange } from "../../api/queries";
import { useWhatMethodChanges } from "../../api/reports";
import { words } from "../../api/words";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import { useLater } from "../../controls/useLater";
import type { Study } from "../../model/study";
import { WouldSay } from "../reports/WouldSay";
import {
  type DeclaredMethod,
  draftOf,
  holdingOptions,
  type MethodDraft,
  methodOf,
  USUAL_BETWEEN,
} from "./method";

/** What is typed is asked about when the hand pauses. */
const REST_MS = 400;

const options = (values: string[]) =>
  values.map((value) => ({ value, label: words().schools[value] ?? value }));

export function MethodFields({
  draft,
  change,
}: {
  draft: MethodDraft;
  change: (draft: MethodDraft) => void;
}) {
  const set = (part: Partial<MethodDraft>) => change({ ...draft, ...part });
  return (
    <div className="grid gap-4 sm:grid-cols-2 lg:grid-cols-4">
      <Labelled label="Leading figure" term="average fps">
        <Select
          label="Leading figure"
          value={draft.leading}
          onChange={(leading) => set({ leading })}
          options={[
            { value: "average_fps", label: "average fps" },
            { value: "low_1", label: "1% low" },
          ]}
        />
      </Labelled>
      <Labelled label="How lows are taken" term="1% low">
        <Select
          label="How lows are taken"
          value={draft.low_school}
          onChange={(low_school) => set({ low_school })}
          options={options(["percentile", "slowest_frames", "slowest_time"])}
        />
      </Labelled>
      <Labelled label="Mean over tests" term="geometric mean">
        <Select
          label="Mean over tests"
          value={draft.suite_school}
          onChange={(suite_school) => set({ suite_school })}
          options={options(["geometric", "mean_of_margins", "ratio_of_means", "equal_frames"])}
        />
      </Labelled>
      <Labelled label="Value of a cell" term="cell">
        <Select
          label="Value of a cell"
          value={draft.cell_school}
          onChange={(cell_school) => set({ cell_school })}
          options={options(["mean", "median_pass"])}
        />
      </Labelled>
      <NumberField
        label="Even within, %"
        required
        min={0.01}
        max={99}
        value={draft.band}
        onChange={(band) => set({ band })}
      />
      <NumberField
        label="Rate to be reached, Hz"
        required
        min={1}
        max={2000}
        value={draft.target}
        onChange={(target) => set({ target })}
      />
      <Labelled label="Holding a rate means">
        <Select
          label="Holding a rate means"
          value={draft.mayMiss}
          onChange={(mayMiss) => set({ mayMiss })}
          options={holdingOptions(draft.mayMiss)}
        />
      </Labelled>
      <NumberField
        label="Display refresh, Hz"
        placeholder="not known"
        min={1}
        max={2000}
        value={draft.display}
        onChange={(display) => set({ display })}
      />
      <NumberField
        label="Drift allowed, % an hour"
        required
        min={0}
        max={10}
        value={draft.drift}
        onChange={(drift) => set({ drift })}
      />
      <NumberField
        label="Sessions differ by, %"
        placeholder="nothing stated"
        min={0}
        max={10}
        value={draft.between}
        onChange={(between) => set({ between })}
      />
      {draft.between.trim() !== USUAL_BETWEEN && (
        <Field
          label="Why sessions differ by that"
          required
          maxLength={300}
          value={draft.betweenWhy}
          onChange={(event) => set({ betweenWhy: event.target.value })}
        />
      )}
      <Tick
        label="The display follows the rate (variable refresh)"
        checked={draft.variable}
        onChange={(variable) => set({ variable })}
      />
    </div>
  );
}

interface DialogProps {
  study: Study;
  open: boolean;
  onOpenChange: (open: boolean) => void;
}

export function MethodDialog({ study, open, onOpenChange }: DialogProps) {
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Method"
      description="Reviewers disagree on these. The study declares one of each; Findings says where another would change the verdict."
      wide
    >
      <MethodForm study={study} close={() => onOpenChange(false)} />
    </Dialog>
  );
}

/** Made anew each time the dialog opens: what is typed stays while it is open, whatever comes in behind it. */
function MethodForm({ study, close }: { study: Study; close: () => void }) {
  const editable = useMay("lead") && study.state === "open";
  const [draft, setDraft] = useState(draftOf(study.method));
  const seen = useSeen(study.seen.method);
  const save = useStudyChange(study.id, (method: DeclaredMethod) =>
    data(
      client.PUT("/api/studies/{study_id}/method", {
        params: { path: { study_id: study.id } },
        body: { ...method, seen: seen.current },
      }),
    ),
  );
  const declared = useLater(methodOf(draft), REST_MS);
  const other = JSON.stringify(declared) !== JSON.stringify(methodOf(draftOf(study.method)));
  const { data: reports = [] } = useWhatMethodChanges(study.id, declared, editable && other);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(methodOf(draft), { onSuccess: close });
  };
  return (
    <form onSubmit={submit} className="grid gap-5">
      <fieldset disabled={!editable}>
        <legend className="sr-only">Method</legend>
        <MethodFields draft={draft} change={setDraft} />
      </fieldset>
      {other && <WouldSay reports={reports} />}
      {editable ? (
        <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Declare" />
      ) : (
        <div className="flex justify-end">
          <Button onClick={close}>Close</Button>
        </div>
      )}
    </form>
  );
}
