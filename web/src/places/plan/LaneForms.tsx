import { useConditions, usePartKinds, useParts, useSetups } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { LaneMark, LaneName } from "../../controls/LaneMark";
import { Tick } from "../../controls/Tick";
import { draftOf, SetupEditor } from "../bench/SetupEditor";
import type { PlannedKind } from "./kinds";
import { Levels } from "./Levels";
import {
  type FactorDraft,
  followsFirst,
  type LaneDraft,
  type LaneReady,
  NO_BASE,
  type OtherLane,
  partKind,
  type SetupAsked,
} from "./lanes";
import { OtherLanes } from "./OtherLanes";
import { SetupFinder } from "./SetupFinder";

type Fault = (field: string) => string | undefined;

/** Two lanes side by side; the second is the first with another level of the factor, unless it is described itself. */
export function PairLanes({
  lanes,
  change,
  factor,
  fault,
}: {
  lanes: LaneDraft[];
  change: (lanes: LaneDraft[]) => void;
  factor: string;
  fault: Fault;
}) {
  const { data: setups = [] } = useSetups();
  const { data: parts = [] } = useParts();
  const { data: kinds = [] } = usePartKinds();
  const kind = partKind(factor, kinds);
  const set = (index: number, part: Partial<LaneDraft>) =>
    change(lanes.map((lane, i) => (i === index ? { ...lane, ...part } : lane)));
  const [first] = lanes;
  const known = setups.find((setup) => String(setup.id) === first?.choice);
  const copy = known ? draftOf(known) : first?.setup;
  const follows = followsFirst(lanes, factor);
  return (
    <div className="grid gap-5 xl:grid-cols-2">
      {lanes.map((lane, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: there are two lanes and they do not move
        <fieldset key={index} className="sheet min-w-0 self-start p-4">
          <legend className="flex items-center gap-1.5 px-1 font-bold">
            <LaneMark lane={index} /> Lane {index ? "B" : "A"}
          </legend>
          <div className="grid gap-3 sm:grid-cols-2">
            {factor.trim() && (
              <Field
                label={`${factor.trim()} of lane ${index ? "B" : "A"}`}
                maxLength={120}
                placeholder={kind ? "name of the part" : index ? "quiet" : "standard"}
                suggestions={parts.filter((one) => one.kind === kind).map((one) => one.name)}
                value={lane.level ?? ""}
                onChange={(e) => set(index, { level: e.target.value })}
              />
            )}
            <Field
              label="Name in charts"
              required={!lane.level?.trim()}
              maxLength={80}
              placeholder={lane.level?.trim() || (index ? "quiet profile" : "standard profile")}
              value={lane.name}
              error={fault(`lanes.${index}.name`)}
              onChange={(e) => set(index, { name: e.target.value })}
            />
          </div>
          {index === 1 && follows ? (
            <p className="mt-3">
              Lane B is lane A with this one thing changed.{" "}
              <Button
                kind="quiet"
                onClick={() =>
                  set(1, { own: true, choice: "new", ...(copy ? { setup: { ...copy, name: "" } } : {}) })
                }
              >
                Describe it by itself
              </Button>
            </p>
          ) : (
            <>
              <div className="mt-3">
                <SetupFinder
                  label={`Setup of lane ${index ? "B" : "A"}`}
                  value={lane}
                  change={(asked) => set(index, asked)}
                  error={fault(`lanes.${index}.setup_id`)}
                />
              </div>
              {lane.choice === "new" && (
                <>
                  {index === 1 && copy && (
                    <Button
                      className="mt-3"
                      onClick={() => set(1, { setup: { ...copy, name: lane.setup.name } })}
                    >
                      Copy lane A, then change one thing
                    </Button>
                  )}
                  <SetupEditor named={false} draft={lane.setup} change={(setup) => set(index, { setup })} />
                </>
              )}
            </>
          )}
        </fieldset>
      ))}
    </div>
  );
}

interface KindProps {
  kind: PlannedKind;
  base: SetupAsked;
  changeBase: (base: SetupAsked) => void;
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
  const { data: setups = [] } = useSetups();
  const chosen = setups.find((setup) => String(setup.id) === base.choice);
  const whole = chosen ? draftOf(chosen) : base.setup;
  const alone = kind !== "scaling" && kind !== "several";
  return (
    <div className="grid gap-5 xl:grid-cols-2">
      <fieldset className="sheet min-w-0 self-start p-4">
        <legend className="px-1 font-bold">
          {kind === "scaling" ? "The setup" : "All lanes are this setup"}
        </legend>
        {alone && (
          <Tick
            label="None: every lane is a setup of its own"
            checked={base.choice === NO_BASE}
            onChange={(on) => changeBase({ ...base, choice: on ? NO_BASE : "new" })}
          />
        )}
        {base.choice !== NO_BASE && (
          <div className={alone ? "mt-3" : ""}>
            <SetupFinder label="Base setup" value={base} change={changeBase} />
          </div>
        )}
        {base.choice === "new" && (
          <SetupEditor named={false} draft={base.setup} change={(setup) => changeBase({ ...base, setup })} />
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
                    {...(kind === "several"
                      ? {}
                      : {
                          hint: part
                            ? "A list can be pasted, with prices: “Corv 20; 299 EUR”."
                            : "A list can be pasted.",
                        })}
                  />
                )}
              </fieldset>
            );
          })
        )}
        {alone && (
          <OtherLanes
            others={others}
            change={changeOthers}
            factors={factors.map((factor) => factor.name)}
            base={base.choice === NO_BASE ? null : whole}
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
