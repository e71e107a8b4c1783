import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useSearchParams } from "react-router";
import { client, data } from "../../api/client";
import { Button } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { count, hours, moment, readNumber } from "../../format";
import type { View } from "./view";

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
  const [asked] = useSearchParams();
  const speed = Number(asked.get("speed")) || SIMULATED_SPEED;
  const seed = Number(asked.get("seed")) || null;
  const begin = useMutation({
    mutationFn: (simulated: boolean) =>
      data(
        client.POST("/api/studies/{study_id}/sessions", {
          params: { path: { study_id: study } },
          body: {
            room_c: number === null || Number.isNaN(number) ? null : number,
            simulated,
            speed: simulated ? speed : 1,
            seed: simulated ? seed : null,
          },
        }),
      ),
    onSuccess: hold,
  });
  const able = run.may_run && run.progress.left > 0 && !begin.isPending && !Number.isNaN(number);
  useHotkeys(
    "enter",
    () => begin.mutate(false),
    { enabled: able, enableOnFormTags: ["INPUT"], preventDefault: true },
    [able, room],
  );
  useHotkeys("j", () => begin.mutate(true), { enabled: able && run.may_simulate }, [able, room]);
  const [first] = run.coming;
  return (
    <div className="flex grow flex-col justify-center gap-5 px-8 py-6">
      <p className="text-[1.6rem] text-soft">Nobody sits at the bench</p>
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
          <NumberField
            label="Room, °C (may stay empty)"
            className="w-64"
            value={room}
            onChange={setRoom}
            min={-30}
            max={60}
          />
          <div className="flex flex-wrap items-center gap-5">
            <button
              type="button"
              disabled={!able}
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
                {moment(one.begun_at)}, {one.begun_by}: {count(one.passes, "pass", "passes")}
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
