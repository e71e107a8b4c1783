import { type KeyboardEvent, useEffect, useRef } from "react";
import { useConditions, usePartKinds, useParts, useSetups } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field, Labelled } from "../../controls/Field";
import { LaneMark, LaneName } from "../../controls/LaneMark";
import { Select } from "../../controls/Select";
import { draftOf, type SetupDraft, SetupEditor } from "../bench/SetupEditor";
import {
  type FactorDraft,
  type LaneDraft,
  type LaneReady,
  NO_BASE,
  type OtherLane,
  type PlannedKind,
  partKind,
} from "./lanes";

type Fault = (field: string) => string | undefined;

/** Two lanes side by side; the second begins as a copy of the first. */
export function PairLanes({
  lanes,
  change,
  fault,
}: {
  lanes: LaneDraft[];
  change: (lanes: LaneDraft[]) => void;
  fault: Fault;
}) {
  const { data: setups = [] } = useSetups();
  const set = (index: number, part: Partial<LaneDraft>) =>
    change(lanes.map((lane, i) => (i === index ? { ...lane, ...part } : lane)));
  const first = lanes[0];
  const known = setups.find((setup) => String(setup.id) === first?.choice);
  const copy = known ? draftOf(known) : first?.setup;
  return (
    <div className="grid gap-5 xl:grid-cols-2">
      {lanes.map((lane, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: there are two lanes and they do not move
        <fieldset key={index} className="sheet min-w-0 p-4">
          <legend className="flex items-center gap-1.5 px-1 font-bold">
            <LaneMark lane={index} /> Lane {index ? "B" : "A"}
          </legend>
          <div className="grid gap-3 sm:grid-cols-2">
            <Field
              label="Name in charts"
              required
              maxLength={80}
              placeholder={index ? "quiet profile" : "standard profile"}
              value={lane.name}
              error={fault(`lanes.${index}.name`)}
              onChange={(e) => set(index, { name: e.target.value })}
            />
            <SetupChoice
              label={`Setup of lane ${index ? "B" : "A"}`}
              value={lane.choice}
              change={(choice) => set(index, { choice })}
            />
          </div>
          {lane.choice === "new" && (
            <>
              {index === 1 && copy && (
                <Button
                  className="mt-3"
                  onClick={() => set(1, { setup: { ...copy, name: lane.setup.name || lane.name } })}
                >
                  Copy lane A, then change one thing
                </Button>
              )}
              <SetupEditor
                draft={lane.setup}
                change={(setup) => set(index, { setup })}
                defaultName={lane.name}
              />
            </>
          )}
        </fieldset>
      ))}
    </div>
  );
}

function SetupChoice({
  label,
  value,
  change,
  none = false,
}: {
  label: string;
  value: string;
  change: (choice: string) => void;
  none?: boolean;
}) {
  const { data: setups = [] } = useSetups();
  return (
    <Labelled label="Setup">
      <Select
        label={label}
        value={value}
        onChange={change}
        options={[
          { value: "new", label: "describe a new one" },
          ...(none ? [{ value: NO_BASE, label: "none: every lane is a setup of its own" }] : []),
          ...setups.map((setup) => ({
            value: String(setup.id),
            label: `${setup.name}, version ${setup.version}`,
          })),
        ]}
      />
    </Labelled>
  );
}

interface KindProps {
  kind: PlannedKind;
  base: { choice: string; setup: SetupDraft };
  changeBase: (base: { choice: string; setup: SetupDraft }) => void;
  factors: FactorDraft[];
  changeFactor: (index: number, part: Partial<FactorDraft>) => void;
  conditions: string[];
  changeConditions: (conditions: string[]) => void;
  suggestions: string[];
  others: OtherLane[];
  changeOthers: (others: OtherLane[]) => void;
  lanes: LaneReady[];
  fault: Fault;
}

/** One setup and what is varied in it: levels of a factor or of two, or conditions. */
export function KindLanes({
  kind,
  base,
  changeBase,
  factors,
  changeFactor,
  conditions,
  changeConditions,
  suggestions,
  others,
  changeOthers,
  lanes,
  fault,
}: KindProps) {
  const { data: parts = [] } = useParts();
  const { data: kinds = [] } = usePartKinds();
  const { data: known = [] } = useConditions();
  return (
    <div className="grid gap-5 xl:grid-cols-2">
      <fieldset className="sheet min-w-0 self-start p-4">
        <legend className="px-1 font-bold">
          {kind === "scaling" ? "The setup" : "All lanes are this setup"}
        </legend>
        <SetupChoice
          label="Base setup"
          none={kind !== "scaling" && kind !== "several"}
          value={base.choice}
          change={(choice) => changeBase({ ...base, choice })}
        />
        {base.choice === "new" && (
          <SetupEditor draft={base.setup} change={(setup) => changeBase({ ...base, setup })} />
        )}
      </fieldset>
      <div className="grid content-start gap-5">
        {kind === "scaling" ? (
          <fieldset className="sheet min-w-0 p-4">
            <legend className="px-1 font-bold">Under these conditions</legend>
            <Levels
              label="Condition"
              values={conditions}
              change={changeConditions}
              suggestions={known.map((one) => one.name)}
              placeholder="1080 high"
            />
          </fieldset>
        ) : (
          factors.map((factor, index) => {
            const part = partKind(factor.name, kinds);
            return (
              // biome-ignore lint/suspicious/noArrayIndexKey: one factor or two, and they do not move
              <fieldset key={index} className="sheet min-w-0 p-4">
                <legend className="px-1 font-bold">
                  {kind === "several"
                    ? "But with more of its card each"
                    : factor.name
                      ? `But with ${part ? "another" : "another value of"} ${factor.name.toLowerCase()} each`
                      : "Varied"}
                </legend>
                {index === 1 && (
                  <Field
                    label="Second factor"
                    required
                    maxLength={120}
                    className="mb-3"
                    suggestions={suggestions}
                    placeholder="Sync"
                    value={factor.name}
                    error={fault("second_factor")}
                    onChange={(e) => changeFactor(1, { name: e.target.value })}
                  />
                )}
                {kind === "several" && (
                  <p className="mb-2 text-[0.93rem] text-soft">
                    How many of the setup’s graphics card each lane has.
                  </p>
                )}
                {base.choice !== NO_BASE && (
                  <Levels
                    label={kind === "several" ? "How many cards" : factor.name || "Level"}
                    values={factor.levels}
                    change={(levels) => changeFactor(index, { levels })}
                    suggestions={
                      kind === "several"
                        ? []
                        : parts.filter((one) => one.kind === part).map((one) => one.name)
                    }
                    placeholder={kind === "several" ? "2" : part ? "name of the part" : "160 W"}
                  />
                )}
              </fieldset>
            );
          })
        )}
        {kind !== "scaling" && kind !== "several" && (
          <Others
            others={others}
            change={changeOthers}
            factors={factors.map((factor) => factor.name)}
            fault={fault}
          />
        )}
        {lanes.length > 0 && (
          <p className="flex flex-wrap gap-x-4 gap-y-1 text-soft">
            {lanes.slice(0, 12).map((one, index) => (
              <LaneName key={one.lane.name} lane={index} name={one.lane.name} />
            ))}
            {lanes.length > 12 && <span>and {lanes.length - 12} more</span>}
          </p>
        )}
      </div>
    </div>
  );
}

/** Setups from the bench that take part beside the levels, or instead of them. */
function Others({
  others,
  change,
  factors,
  fault,
}: {
  others: OtherLane[];
  change: (others: OtherLane[]) => void;
  factors: string[];
  fault: Fault;
}) {
  const { data: setups = [] } = useSetups();
  const set = (key: number, part: Partial<OtherLane>) =>
    change(others.map((one) => (one.key === key ? { ...one, ...part } : one)));
  const add = () => {
    const key = Math.max(-1, ...others.map((one) => one.key)) + 1;
    change([...others, { key, setup: "", name: "", levels: factors.map(() => "") }]);
  };
  return (
    <fieldset className="sheet min-w-0 p-4">
      <legend className="px-1 font-bold">Besides, setups of their own</legend>
      <p className="mb-2 text-[0.93rem] text-soft">
        Any setup may be a lane: a rival in a sweep, a laptop in a ladder.
      </p>
      {others.map((one, index) => (
        <div key={one.key} className="mb-3 grid gap-2 sm:grid-cols-2">
          <Select
            label={`Setup ${index + 1} of its own`}
            value={one.setup}
            placeholder="which setup?"
            wanted={!one.setup}
            onChange={(setup) =>
              set(one.key, {
                setup,
                name:
                  one.name || (setups.find((known) => String(known.id) === setup)?.name ?? "").slice(0, 80),
              })
            }
            options={setups.map((known) => ({ value: String(known.id), label: known.name }))}
          />
          <Field
            label={`Name of setup ${index + 1} in charts`}
            quietLabel
            maxLength={80}
            placeholder="name in charts"
            value={one.name}
            error={fault(`other.${index}`)}
            onChange={(e) => set(one.key, { name: e.target.value })}
          />
          {factors.map((factor, at) => (
            <Field
              // biome-ignore lint/suspicious/noArrayIndexKey: one factor or two, and they do not move
              key={at}
              label={`${factor || "Level"} of setup ${index + 1}`}
              quietLabel
              placeholder={`${(factor || "level").toLowerCase()} it stands for (may stay empty)`}
              value={one.levels[at] ?? ""}
              onChange={(e) =>
                set(one.key, {
                  levels: factors.map((_, i) => (i === at ? e.target.value : (one.levels[i] ?? ""))),
                })
              }
            />
          ))}
          <Button kind="quiet" onClick={() => change(others.filter((other) => other.key !== one.key))}>
            Take it out
          </Button>
        </div>
      ))}
      <Button onClick={add} disabled={!setups.length}>
        {setups.length ? "One more setup" : "No setup is on the bench yet"}
      </Button>
    </fieldset>
  );
}

/** A list that grows as it is typed: Enter makes the next. */
function Levels({
  label,
  values,
  change,
  suggestions,
  placeholder,
}: {
  label: string;
  values: string[];
  change: (values: string[]) => void;
  suggestions: string[];
  placeholder: string;
}) {
  const box = useRef<HTMLDivElement>(null);
  const before = useRef(values.length);
  useEffect(() => {
    if (values.length > before.current) [...(box.current?.querySelectorAll("input") ?? [])].at(-1)?.focus();
    before.current = values.length;
  }, [values.length]);
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key !== "Enter" || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    const inputs = [...(box.current?.querySelectorAll("input") ?? [])];
    const next = inputs[inputs.indexOf(event.target as HTMLInputElement) + 1];
    if (next) next.focus();
    else change([...values, ""]);
  };
  return (
    <div ref={box} className="grid gap-1.5">
      {values.map((value, index) => (
        <Field
          // biome-ignore lint/suspicious/noArrayIndexKey: rows are only added and removed at the end
          key={index}
          label={`${label} ${index + 1}`}
          quietLabel
          required={index < 2}
          placeholder={placeholder}
          suggestions={suggestions}
          value={value}
          onChange={(e) => change(values.map((one, i) => (i === index ? e.target.value : one)))}
          onKeyDown={onKeyDown}
        />
      ))}
      <div className="flex gap-2">
        <Button kind="quiet" onClick={() => change([...values, ""])}>
          One more
        </Button>
        {values.length > 2 && (
          <Button kind="quiet" onClick={() => change(values.slice(0, -1))}>
            Take the last out
          </Button>
        )}
        {suggestions.length > 1 && (
          <Button kind="quiet" onClick={() => change(suggestions)}>
            All known ({suggestions.length})
          </Button>
        )}
      </div>
    </div>
  );
}
