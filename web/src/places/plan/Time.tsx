import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useLearnedCosts, useSavePlan, useSeenPlan, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { Menu, MenuLink } from "../../controls/Menu";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Term } from "../../controls/Term";
import { Tick } from "../../controls/Tick";
import { benchMoment, count, figure, hours, percent, readNumber } from "../../format";
import type { Study } from "../../model/study";
import { moved, planIn } from "./changes";
import { Dates, dateWords } from "./Dates";
import { LeftOpen, Tells } from "./LeftOpen";
import { Timeline } from "./Timeline";
import { CHANGE_WORDS, COST_WORDS, ORDER_WORDS } from "./words";

type PlanOut = Schemas["PlanOut"];
type Outline = Schemas["OutlineOut"];

const BECAUSE: Record<Schemas["DroppedOut"]["because"], string> = {
  deadline: "too late for the deadline",
  back: "too late for a part that goes back",
  patch: "its game would be patched half-way: game after game, it may fit",
};

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

/** In which order, and when it is done. */
export function Time({ study, plan, lead }: { study: Study; plan: PlanOut; lead: boolean }) {
  const [editing, setEditing] = useState(false);
  const save = useSavePlan(study.id);
  const seenPlan = useSeenPlan(study.id);
  const reorder = useStudyChange(study.id, (sequence: number[]) =>
    data(
      client.PUT("/api/studies/{study_id}/plan/sequence", {
        params: { path: { study_id: study.id } },
        body: { sequence, seen: seenPlan() },
      }),
    ),
  );
  const nothing = !plan.chosen.passes && !plan.dropped.length && !plan.gone.length && !plan.unplaceable;
  const outlines = plan.order === "by_hand" ? [...plan.outlines, plan.chosen] : plan.outlines;
  const byId = new Map(study.tests_full.map((test) => [test.id, test]));
  return (
    <section>
      <div className="mb-2 flex flex-wrap items-end justify-between gap-3">
        <h2 className="text-xl font-bold">Order and time</h2>
        <div className="flex gap-2">
          {lead && <Button onClick={() => setEditing(true)}>Days, hours, deadline, costs</Button>}
          <Menu label="Take along">
            <MenuLink href={`/api/studies/${study.id}/plan.csv`}>Every pass as CSV</MenuLink>
            <MenuLink href={`/api/studies/${study.id}/plan.ics`}>Sessions as iCalendar</MenuLink>
          </Menu>
        </div>
      </div>
      <p className="mb-3 text-soft">
        From {benchMoment(`${plan.starts_on}T${plan.day_starts}`)}, {figure(plan.hours_a_day)} hours a day,{" "}
        {plan.quiet_from && plan.quiet_to && (
          <>
            quiet from {plan.quiet_from.slice(0, 5)} to {plan.quiet_to.slice(0, 5)},{" "}
          </>
        )}
        {plan.weekdays.map((day) => DAYS[day]).join(" ")}.{" "}
        {plan.deadline ? (
          <>
            Deadline <strong className="text-ink">{benchMoment(plan.deadline)}</strong>.
          </>
        ) : (
          "No deadline."
        )}
        {(plan.dates ?? []).length > 0 && (
          <> Besides: {(plan.dates ?? []).map((date) => dateWords(study, date)).join("; ")}.</>
        )}
      </p>
      <ErrorNotice error={save.error ?? reorder.error} />
      {nothing ? (
        <p className="sheet border-dashed! px-6 py-6 text-soft">
          Nothing is left to run. Further passes that are planned will stand here.
        </p>
      ) : (
        <>
          <Orders
            outlines={outlines}
            chosen={plan.order}
            allowance={plan.drift_allowance}
            {...(lead
              ? {
                  choose: (order: Outline["order"]) =>
                    save.mutate({ ...planIn(plan), order: order as PlanOut["order"] }),
                }
              : {})}
          />
          {plan.length_words && (
            <p className="mb-5 max-w-4xl border-l-4 border-rule pl-4">
              {plan.length_words} <Link to="/scenes">Scenes</Link>
            </p>
          )}
          <LeftOpen
            study={study}
            plan={plan}
            {...(lead
              ? {
                  control: (test: number | null) => save.mutate({ ...planIn(plan), control_test: test }),
                  order: (order: string) =>
                    save.mutate({ ...planIn(plan), order: order as PlanOut["order"] }),
                }
              : {})}
          />
          <Timeline
            study={study}
            plan={plan}
            {...(lead
              ? { move: (from: number, to: number) => reorder.mutate(moved(plan.blocks, from, to)) }
              : {})}
          />
          {plan.unplaceable > 0 && (
            <p className="mt-3 border-l-4 border-accent px-4 py-2 font-semibold">
              {count(plan.unplaceable, "pass", "passes")} with what must be changed before them fit into no
              day at the bench. Give a day more hours.
            </p>
          )}
          {plan.gone.length > 0 && (
            <p className="mt-3 border-l-4 border-accent px-4 py-2 font-semibold">
              {study.lanes_full
                .filter((lane) => plan.gone.includes(lane.id))
                .map((lane) => lane.name)
                .join(", ")}
              : a part has gone back, and what is left of it is run no more.
            </p>
          )}
          {plan.dropped.length > 0 && (
            <div className="mt-4 border-l-4 border-accent px-4 py-2">
              <h3 className="font-bold">
                Left out of all lanes to keep the dates; what is left out first stands first
              </h3>
              <ol className="columns-1 gap-x-8 text-[0.93rem] md:columns-2 xl:columns-3">
                {plan.dropped.map((one) => {
                  const test = byId.get(one.test_id);
                  return (
                    <li key={one.test_id} className="break-inside-avoid">
                      {test?.game}, {test?.condition}{" "}
                      <span className="text-mute">
                        {BECAUSE[one.because]}
                        {one.because !== "patch" && `, priority ${one.priority}`}
                      </span>
                    </li>
                  );
                })}
              </ol>
            </div>
          )}
        </>
      )}
      {editing && <TimeDialog study={study} plan={plan} close={() => setEditing(false)} />}
    </section>
  );
}

/** The orders against each other: hours, changes, and what each can tell while the bench drifts. */
function Orders({
  outlines,
  chosen,
  allowance,
  choose,
}: {
  outlines: Outline[];
  chosen: string;
  allowance: number;
  choose?: (order: string) => void;
}) {
  return (
    <fieldset className="mb-5">
      <legend className="sr-only">Order</legend>
      <table className="w-full border-collapse">
        <thead>
          <tr className="label">
            <th className="pb-1">Order</th>
            <th className="w-[7.5rem] pb-1">At the bench</th>
            <th className="w-[9rem] pb-1">Done</th>
            <th className="pb-1">Changes</th>
            <th className="w-[18.5rem] pb-1">
              <Term word="leaves open">Leaves open</Term>
              {allowance > 0 && `, at ${percent(allowance)}% drift an hour`}
            </th>
          </tr>
        </thead>
        <tbody>
          {outlines.map((one) => (
            <tr key={one.order} className={`border-rule border-t ${one.order === chosen ? "bg-raised" : ""}`}>
              <td className="py-1.5 pr-3">
                <label className="flex cursor-pointer items-baseline gap-2">
                  <input
                    type="radio"
                    name="order"
                    value={one.order}
                    checked={one.order === chosen}
                    disabled={!choose}
                    onChange={() => choose?.(one.order)}
                    className="accent-ink"
                  />
                  <span className={one.order === chosen ? "font-bold" : ""}>{ORDER_WORDS[one.order]}</span>
                </label>
              </td>
              <td className="figure py-1.5 pr-3">{hours(one.total_s)}</td>
              <td className="py-1.5 pr-3">
                {one.ends ? benchMoment(one.ends) : "never"}
                {one.dropped > 0 && (
                  <span className="block text-[0.86rem] font-semibold text-accent">
                    {count(one.dropped, "test")} left out
                  </span>
                )}
              </td>
              <td className="py-1.5 pr-3 text-[0.92rem] text-soft">
                {Object.entries(one.counts)
                  .filter(([, number]) => number > 0)
                  .map(([kind, number]) => count(number, ...(CHANGE_WORDS[kind] ?? [kind, kind])))
                  .join(", ")}
              </td>
              <td className="py-1.5 text-[0.92rem]">
                <Tells tells={one.tells} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </fieldset>
  );
}

function TimeDialog({ study, plan, close }: { study: Study; plan: PlanOut; close: () => void }) {
  const [draft, setDraft] = useState({
    starts_on: plan.starts_on,
    day_starts: plan.day_starts.slice(0, 5),
    hours: String(plan.hours_a_day),
    weekdays: plan.weekdays,
    deadline: plan.deadline?.slice(0, 16) ?? "",
    quiet_from: plan.quiet_from?.slice(0, 5) ?? "",
    quiet_to: plan.quiet_to?.slice(0, 5) ?? "",
    dates: plan.dates ?? [],
    seed: String(plan.seed),
    costs: Object.fromEntries(Object.entries(plan.all_costs).map(([name, s]) => [name, figure(s / 60)])),
  });
  const set = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const { data: learned } = useLearnedCosts();
  const offered = Object.fromEntries(
    (learned ?? []).flatMap(({ cost, seconds }) => (seconds == null ? [] : [[cost, figure(seconds / 60)]])),
  );
  const times = Object.fromEntries((learned ?? []).map((one) => [one.cost, one.times]));
  const save = useSavePlan(study.id);
  const seen = useSeen(plan.seen);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    const seconds = Object.entries(draft.costs).map(
      ([name, minutes]) => [name, Math.round((readNumber(minutes) ?? Number.NaN) * 60)] as const,
    );
    await save.mutateAsync({
      ...planIn(plan),
      starts_on: draft.starts_on,
      day_starts: draft.day_starts,
      hours_a_day: readNumber(draft.hours) ?? Number.NaN,
      weekdays: draft.weekdays,
      deadline: draft.deadline || null,
      quiet_from: draft.quiet_from || null,
      quiet_to: draft.quiet_to || null,
      dates: draft.dates,
      seed: readNumber(draft.seed) ?? Number.NaN,
      costs: Object.fromEntries(seconds),
      seen: seen.current,
    });
    close();
  };
  return (
    <Dialog open wide onOpenChange={(now) => !now && close()} title="The time there is">
      <form onSubmit={(event) => submit(event).catch(() => undefined)} className="grid gap-4">
        <div className="grid gap-3 sm:grid-cols-4">
          <Field
            label="First day"
            type="date"
            required
            autoFocus
            value={draft.starts_on}
            onChange={(e) => set({ starts_on: e.target.value })}
          />
          <Field
            label="A day starts at"
            type="time"
            required
            value={draft.day_starts}
            onChange={(e) => set({ day_starts: e.target.value })}
          />
          <NumberField
            label="Hours a day"
            required
            value={draft.hours}
            onChange={(text) => set({ hours: text })}
          />
          <Field
            label="Deadline"
            type="datetime-local"
            value={draft.deadline}
            onChange={(e) => set({ deadline: e.target.value })}
          />
          <Field
            label="Quiet from (may stay empty)"
            type="time"
            value={draft.quiet_from}
            onChange={(e) => set({ quiet_from: e.target.value })}
          />
          <Field
            label="Quiet to"
            type="time"
            value={draft.quiet_to}
            onChange={(e) => set({ quiet_to: e.target.value })}
          />
        </div>
        <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
          <legend className="label mb-1">Days at the bench</legend>
          {DAYS.map((day, index) => (
            <Tick
              key={day}
              label={day}
              checked={draft.weekdays.includes(index)}
              onChange={(on) =>
                set({
                  weekdays: on
                    ? [...draft.weekdays, index].sort()
                    : draft.weekdays.filter((other) => other !== index),
                })
              }
            />
          ))}
        </fieldset>
        <Dates study={study} dates={draft.dates} change={(dates) => set({ dates })} />
        <fieldset className="sheet p-4">
          <legend className="label px-1">What changes cost, in minutes</legend>
          <div className="grid gap-x-4 gap-y-2 sm:grid-cols-3">
            {Object.entries(draft.costs).map(([name, minutes]) => (
              <NumberField
                key={name}
                label={COST_WORDS[name] ?? name}
                hint={
                  offered[name] === undefined
                    ? undefined
                    : `took ${offered[name]} min, by ${count(times[name] ?? 0, "time")}`
                }
                value={minutes}
                onChange={(text) => set({ costs: { ...draft.costs, [name]: text } })}
              />
            ))}
          </div>
          {Object.keys(offered).length > 0 && (
            <Button className="mt-3" onClick={() => set({ costs: { ...draft.costs, ...offered } })}>
              Take what they really took at the bench
            </Button>
          )}
          <p className="mt-2 text-[0.86rem] text-mute">
            A guess for one practised person, until it is put right here. External cards and docks are changed
            with the power off, unless their maker says otherwise.
          </p>
        </fieldset>
        <NumberField
          whole
          label="Seed of the shuffled order"
          className="w-56"
          value={draft.seed}
          onChange={(text) => set({ seed: text })}
        />
        <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
