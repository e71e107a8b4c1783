import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useConditions, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import type { Study } from "../../model/study";
import { emptySetup, SetupEditor } from "../bench/SetupEditor";
import { readyMore, type SetupAsked } from "./lanes";
import { SetupFinder } from "./SetupFinder";
import { useShelf } from "./useShelf";

/** Crossings of a grid that no lane stands for yet, each with the way to it. */
export function MissingCells({
  study,
  add,
}: {
  study: Study;
  add: ((levels: Record<string, string>) => void) | null;
}) {
  if (!study.missing_cells.length) return null;
  return (
    <div className="mt-4 border-l-4 border-accent bg-mark/40 px-4 py-2.5">
      <p className="font-semibold">
        Not every level of one factor meets every level of the other: whether they depend on each other cannot
        be told without these lanes.
      </p>
      <ul>
        {study.missing_cells.map((cell) => {
          const words = Object.values(cell).join(" × ");
          return (
            <li key={words} className="mt-1 flex flex-wrap items-center gap-3">
              {words}
              {add && <Button onClick={() => add(cell)}>Add this lane</Button>}
            </li>
          );
        })}
      </ul>
    </div>
  );
}

/** One more lane: a setup from the bench, and what it stands for. */
export function AddLaneDialog({
  study,
  levels,
  close,
}: {
  study: Study;
  levels: Record<string, string>;
  close: () => void;
}) {
  const shelf = useShelf();
  const { data: conditions = [] } = useConditions();
  const factors = [study.factor, study.second_factor].filter(Boolean);
  const [name, setName] = useState(Object.values(levels).join(", "));
  const [setup, setSetup] = useState<SetupAsked>({ choice: "new", setup: emptySetup() });
  const [condition, setCondition] = useState("");
  const [said, setSaid] = useState(levels);
  const add = useStudyChange(study.id, (body: Schemas["LaneIn"]) =>
    data(client.POST("/api/studies/{study_id}/lanes", { params: { path: { study_id: study.id } }, body })),
  );
  const told = study.kind === "scaling";
  const baseline = study.lanes_full.find((lane) => lane.baseline) ?? study.lanes_full[0];
  const ready = readyMore(name, said, setup, baseline?.setup, shelf);
  const follows = setup.choice === "new" && !setup.setup.name.trim();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (ready) add.mutate({ ...ready.lane, condition: told ? condition : "" }, { onSuccess: close });
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title="Add a lane"
      description="Any setup on the bench may take part. Its passes are planned, and the study has to be called ready again."
    >
      <form onSubmit={submit} className="grid gap-4">
        <Field
          label="Name"
          required
          autoFocus
          maxLength={80}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <SetupFinder label="Setup" value={setup} change={setSetup} />
        {follows && baseline && (
          <p className="-mt-2 text-[0.88rem]">
            Left empty, its setup is that of {baseline.name} with what is said here.
          </p>
        )}
        {setup.choice === "new" && !follows && (
          <SetupEditor
            named={false}
            draft={setup.setup}
            change={(draft) => setSetup({ choice: "new", setup: draft })}
          />
        )}
        {told ? (
          <Field
            label="Condition"
            required
            suggestions={conditions.map((one) => one.name)}
            value={condition}
            onChange={(e) => setCondition(e.target.value)}
          />
        ) : (
          factors.map((factor) => (
            <Field
              key={factor}
              label={factor}
              placeholder="the level it stands for, such as 120 W"
              value={said[factor] ?? ""}
              onChange={(e) => setSaid({ ...said, [factor]: e.target.value })}
            />
          ))
        )}
        <FormEnd error={add.error} leave={close} disabled={!ready || add.isPending} does="Add it" />
      </form>
    </Dialog>
  );
}
