import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useSearchParams } from "react-router";
import { client, data } from "../../api/client";
import { Button } from "../../controls/Button";
import { Labelled } from "../../controls/Field";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import { count, hours, moment, readNumber } from "../../format";
import type { View } from "./view";

const BY_HAND = "by-hand";
/** How much faster than true time the simulated bench plays, unless the address says otherwise. */
const SIMULATED_SPEED = 10;

/** Nobody sits at the bench yet: what a session would be, and the key that begins one. */
export function Begin({
  view,
  study,
  hold,
}: {
  view: View;
  study: number;
  hold: (run: View["run"]) => void;
}) {
  const [room, setRoom] = useState("");
  const { run } = view;
  const number = readNumber(room);
  const [asked, ask] = useSearchParams();
  const speed = Number(asked.get("speed")) || SIMULATED_SPEED;
  const seed = Number(asked.get("seed")) || null;
  // The machine one sat at last is likeliest; the first that is free otherwise.
  const free = run.machines.filter((one) => !one.taken);
  const before = run.earlier[0]?.machine;
  const likely = free.find((one) => one.name === before) ?? (run.machines.length === 1 ? free[0] : undefined);
  const [chosen, setChosen] = useState<string | null>(null);
  const machine = chosen ?? (likely ? String(likely.id) : "");
  const toChoose = run.machines.length > 1 && chosen === null && !likely;
  const [left, setLeft] = useState<number[]>([]);
  const lanes = run.lanes.filter((one) => !one.taken && !left.includes(one.id));
  const part = run.others.length > 0 || left.length > 0;
  const begin = useMutation({
    mutationFn: (simulated: boolean) =>
      data(
        client.POST("/api/studies/{study_id}/sessions", {
          params: { path: { study_id: study } },
          body: {
            machine_id: simulated || machine === "" ? null : Number(machine),
            lanes: simulated || !part ? [] : lanes.map((one) => one.id),
            room_c: number === null || Number.isNaN(number) ? null : number,
            simulated,
            speed: simulated ? speed : 1,
            seed: simulated ? seed : null,
          },
        }),
      ),
    onSuccess: (begun) => {
      hold(begun);
      // An address that names no session, or where several run, names this one from now on.
      if ((run.others.length > 0 || asked.has("session")) && begun.session)
        ask({ session: String(begun.session.id) }, { replace: true });
    },
  });
  const able =
    run.may_run && run.progress.left > 0 && lanes.length > 0 && !begin.isPending && !Number.isNaN(number);
  useHotkeys(
    "enter",
    () => begin.mutate(false),
    { enabled: able && !toChoose, enableOnFormTags: ["INPUT"], preventDefault: true },
    [able, room, machine, left, toChoose],
  );
  useHotkeys(
    "j",
    () => begin.mutate(true),
    // A number is all that the room takes, so that this key is no letter in it.
    { enabled: able && run.may_simulate, enableOnFormTags: ["INPUT"], preventDefault: true },
    [able, room],
  );
  const [first] = run.coming;
  return (
    <div className="flex grow flex-col justify-center gap-5 px-8 py-6">
      <p className="text-[1.6rem] text-soft">
        {run.others.length > 0 ? "One session more, at another test machine" : "Nobody sits at the bench"}
      </p>
      <h1 className="font-extrabold text-[clamp(3rem,6vw,5.5rem)] leading-[1.04]">
        {run.progress.left
          ? `${count(run.progress.left, "pass", "passes")} to run`
          : "Nothing is left to run"}
      </h1>
      {run.progress.left > 0 && (
        <p className="text-[1.8rem] leading-snug">
          {hours(run.progress.left_s)} at the bench
          {first && (
            <>
              , beginning with <b>{first.lane}</b> in {first.card.game}
            </>
          )}
          .
        </p>
      )}
      {!run.may_run && <p className="text-[1.6rem]">{run.why_not}</p>}
      {run.progress.left === 0 && (
        <p className="text-[1.6rem]">
          <Link to={`/studies/${study}/passes`}>Look at the passes</Link>, or{" "}
          <Link to={`/studies/${study}/plan`}>plan more</Link>.
        </p>
      )}
      <ErrorNotice error={begin.error} />
      {run.may_run && run.progress.left > 0 && (
        <>
          {run.machines.length > 0 && (
            <Labelled label="At which test machine">
              <Select
                label="At which test machine"
                className="w-full max-w-xl"
                value={machine || (chosen === null ? "" : BY_HAND)}
                placeholder="choose where you sit"
                wanted={toChoose}
                onChange={(value) => setChosen(value === BY_HAND ? "" : value)}
                options={[
                  ...run.machines.map((one) => ({
                    value: String(one.id),
                    label: one.taken ? `${one.name} (${one.taken})` : one.name,
                  })),
                  { value: BY_HAND, label: "none: its files are handed in by hand" },
                ]}
              />
            </Labelled>
          )}
          {(run.machines.length > 1 || run.others.length > 0) && run.lanes.length > 1 && (
            <fieldset>
              <legend className="label">Lanes that are run here</legend>
              <div className="mt-1 flex flex-wrap gap-x-6 gap-y-1">
                {run.lanes.map((one) =>
                  one.taken ? (
                    <span key={one.id} className="text-soft">
                      {one.name} runs at {one.taken}
                    </span>
                  ) : (
                    <Tick
                      key={one.id}
                      label={one.name}
                      checked={!left.includes(one.id)}
                      onChange={(here) =>
                        setLeft((now) => (here ? now.filter((id) => id !== one.id) : [...now, one.id]))
                      }
                    />
                  ),
                )}
              </div>
            </fieldset>
          )}
          <NumberField
            label="Room, °C (may stay empty)"
            className="w-64"
            value={room}
            onChange={setRoom}
            min={-30}
            max={60}
            autoFocus
          />
          <div className="flex flex-wrap items-center gap-5">
            <button
              type="button"
              disabled={!able || toChoose}
              onClick={() => begin.mutate(false)}
              className="flex cursor-pointer items-center gap-6 rounded bg-ink px-6 py-4 font-bold text-[2rem] text-paper leading-tight hover:bg-soft disabled:opacity-60"
            >
              <span
                aria-hidden="true"
                className="rounded border-2 border-current px-3 font-mono text-[1.5rem]"
              >
                Enter
              </span>
              begin the session
            </button>
            {run.may_simulate && (
              <div>
                <Button shortcut="j" onClick={() => begin.mutate(true)} disabled={!able}>
                  Run it on the simulated bench
                </Button>
                <p className="mt-1 text-soft">
                  To learn the keys: it plays {speed} times as fast, and nothing it makes is a result.
                </p>
              </div>
            )}
          </div>
          <p className="text-soft">
            Captures come by themselves once{" "}
            <Link to="/bench/links">bench_link runs on the test machine</Link>; else they are handed in.
          </p>
        </>
      )}
      {run.earlier.length > 0 && (
        <section className="mt-2">
          <h2 className="label">Earlier sessions</h2>
          <ul className="mt-1 grid gap-1 text-soft">
            {run.earlier.slice(0, 4).map((one) => (
              <li key={one.id}>
                {moment(one.begun_at)}, {one.begun_by}
                {one.machine && ` at ${one.machine}`}: {count(one.passes, "pass", "passes")}
                {one.room_c !== null && `, ${one.room_c} °C`}
                {one.simulated && ", simulated"}
                {one.notes && ` · ${one.notes.split("\n").slice(-1)[0]}`}
              </li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}
