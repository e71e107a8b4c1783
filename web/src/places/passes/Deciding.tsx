import { useEffect, useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import type { Schemas } from "../../api/client";
import { useDeciding } from "../../api/doubts";
import { useMay } from "../../api/queries";
import { words } from "../../api/words";
import { Button } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";
import { count, fixed, moment } from "../../format";
import type { Study } from "../../model/study";
import { type Doubts, type Pass, type PassDoubt, standing } from "./matrix";
import { ReasonDialog, WhatIf, WordsDialog } from "./Settling";

type Open = "reject" | "did_not_run" | "same" | "known" | "odd" | null;

interface Props {
  study: Study;
  /** The pass in question. */
  chosen: Pass | undefined;
  /** Passes that were picked; where there are some, what is done is done to all of them. */
  picked?: readonly Pass[];
  doubts: Doubts | undefined;
  /** Whether keys act here. */
  keys: boolean;
  /** Says whether a dialog is open, in which keys belong to it. */
  busy?: (open: boolean) => void;
  children?: React.ReactNode;
}

export const DECIDING_KEYS = [
  { key: "a", does: "accept; what is doubted asks for a reason" },
  { key: "r", does: "reject, with a reason" },
  { key: "g", does: "have it run again" },
  { key: "t", does: "trim to the window that is proposed" },
  { key: "k", does: "say that the cap or the length is known" },
  { key: "o", does: "odd, but real: its repeat agrees" },
  { key: "u", does: "take the last decision back" },
];

/** What can be done about a pass, or about all that were picked: one key each. */
export function Deciding({ study, chosen, picked = [], doubts, keys, busy, children }: Props) {
  const may = useMay("tester") && study.state === "open";
  const does = useDeciding(study.id);
  const [open, setOpen] = useState<Open>(null);
  const [said, setSaid] = useState("");
  const show = (next: Open) => {
    setOpen(next);
    busy?.(next !== null);
  };
  const many = picked.length > 1;
  const targets = picked.length ? picked : chosen ? [chosen] : [];
  const ids = targets.map((one) => one.id);
  const states = new Set(targets.map((one) => one.state));
  const only = !many ? targets[0] : undefined;
  const stands = useMemo(() => (doubts ? standing(doubts) : NO_DOUBTS), [doubts]);
  const about = targets.flatMap((one) => stands.get(one.id) ?? []);
  const trims = [...new Set(about.filter((one) => one.window).map((one) => one.pass_id))];
  const proposed = about.find((one) => one.window);
  const assumed = about.find((one) => one.check === "lock" || one.check === "wrong_length");
  const assumes = about.filter((one) => one.check === assumed?.check).map((one) => one.pass_id);
  const planned = targets.filter((one) => one.state === "planned");
  const notRun = targets.filter((one) => one.state === "did_not_run");
  const agrees = doubts?.repeats.some(
    (one) => one.agrees && (one.of === only?.id || one.pass_id === only?.id),
  );
  const can = {
    accept:
      may &&
      (states.has("recorded") || states.has("rejected") || (states.has("accepted") && about.length > 0)),
    reject: may && (states.has("recorded") || states.has("accepted")),
    repeat: may && (states.has("recorded") || states.has("accepted")),
    trim: may && proposed !== undefined,
    known: may && assumed !== undefined,
    odd: may && !many && Boolean(agrees) && about.length > 0,
    undo: may && doubts?.last != null,
  };
  const pending = Object.values(does).some((one) => one.isPending);
  const error = Object.values(does).find((one) => one.error)?.error;
  const decide = (
    state: Schemas["PassesChange"]["state"],
    why: Partial<Schemas["PassesChange"]> = {},
    which: readonly number[] = ids,
  ) => {
    setSaid("");
    does.decide.mutate({ pass_ids: [...which], state, reason: "", reason_code: "", ...why });
  };
  const settle = (
    body: Partial<Schemas["SettleIn"]> & Pick<Schemas["SettleIn"], "how">,
    which: readonly number[] = ids,
  ) => {
    setSaid("");
    const [pass, ...also] = which;
    if (pass !== undefined)
      does.settle.mutate({
        pass,
        body: { check: "", reason: "", reason_code: "", cap_name: "", also, ...body },
      });
    show(null);
  };
  const trim = () => settle({ how: "trimmed", check: many ? "" : (proposed?.check ?? "") }, trims);
  const accept = () => {
    if (many)
      does.accept.mutate(ids, {
        onSuccess: (found) =>
          setSaid(
            `${count(found.accepted, "pass", "passes")} accepted${found.left ? `; ${found.left} left as ${found.left === 1 ? "it was, since a check doubts it" : "they were, since a check doubts them"}` : ""}.`,
          ),
      });
    else if (about.some((one) => !one.weak)) show("same");
    else decide("accepted");
  };
  const again = () => {
    if (only && about.length) settle({ how: "repeat" });
    else does.repeat.mutate(ids);
  };
  const undo = () => doubts?.last && does.undo.mutate(doubts.last.id);
  const on = keys && open === null && !pending;
  useHotkeys("a", accept, { enabled: on && can.accept, preventDefault: true });
  useHotkeys("r", () => show("reject"), { enabled: on && can.reject, preventDefault: true });
  useHotkeys("g", again, { enabled: on && can.repeat });
  useHotkeys("t", trim, { enabled: on && can.trim });
  useHotkeys("k", () => show("known"), { enabled: on && can.known, preventDefault: true });
  useHotkeys("o", () => show("odd"), { enabled: on && can.odd, preventDefault: true });
  // Pressed while the decision is still on its way, it is taken back once it has arrived.
  const [undoes, setUndoes] = useState(false);
  useHotkeys("u", (event) => !event.repeat && setUndoes(true), {
    enabled: keys && open === null && can.undo,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: undone once for each press
  useEffect(() => {
    if (!undoes || pending) return;
    setUndoes(false);
    undo();
  }, [undoes, pending]);
  if (!may) return null;
  return (
    <div className="grid gap-2">
      {targets.length > 0 && (
        <div className="flex flex-wrap gap-2">
          <Button kind="main" shortcut="a" disabled={!can.accept || pending} onClick={accept}>
            {many
              ? `Accept what is not doubted of ${targets.length}`
              : about.some((one) => !one.weak)
                ? "Accept it anyway"
                : "Accept"}
          </Button>
          <Button kind="grave" shortcut="r" disabled={!can.reject} onClick={() => show("reject")}>
            {many ? `Reject ${targets.length}` : "Reject"}
          </Button>
          {can.trim && proposed?.window && (
            <Button shortcut="t" onClick={trim}>
              {many
                ? `Trim ${trims.length} as proposed`
                : `Trim to ${fixed(proposed.window[0] ?? 0, 1)}–${fixed(proposed.window[1] ?? 0, 1)} s`}
            </Button>
          )}
          {can.known && (
            <Button shortcut="k" onClick={() => show("known")}>
              {assumed?.check === "lock"
                ? "The cap is known"
                : many
                  ? "They take that long"
                  : "It takes that long"}
              {many && assumes.length < ids.length && ` (${assumes.length})`}
            </Button>
          )}
          {can.odd && (
            <Button shortcut="o" onClick={() => show("odd")}>
              Odd, but real
            </Button>
          )}
          <Button shortcut="g" disabled={!can.repeat || pending} onClick={again}>
            {many ? `Run ${targets.length} again` : "Run again"}
          </Button>
          {planned.length > 0 && (
            <Button onClick={() => show("did_not_run")}>
              {many ? `${planned.length} did not run` : "Did not run"}
            </Button>
          )}
          {notRun.length > 0 && (
            <Button onClick={() => decide("planned", {}, idsOf(notRun))}>
              {many ? `Plan ${notRun.length} again` : "Plan again"}
            </Button>
          )}
          {children}
        </div>
      )}
      {doubts?.last && (
        <p className="flex flex-wrap items-center gap-2 text-[0.88rem] text-soft">
          <Button kind="quiet" shortcut="u" disabled={pending} onClick={undo}>
            Undo
          </Button>
          <span>
            {doubts.last.words}{" "}
            <span className="text-mute">
              ({doubts.last.by}, {moment(doubts.last.at)})
            </span>
          </span>
        </p>
      )}
      {said && <p role="status">{said}</p>}
      <ErrorNotice error={error ?? null} />
      <ReasonDialog
        study={study.id}
        passes={open === "did_not_run" ? idsOf(planned) : ids}
        kind={open === "did_not_run" ? "did_not_run" : "rejected"}
        likely={open === "did_not_run" ? "did_not_launch" : likelyReason(about)}
        open={open === "reject" || open === "did_not_run"}
        close={() => show(null)}
        decide={(state, why) => {
          decide(state, why, state === "did_not_run" ? idsOf(planned) : ids);
          show(null);
        }}
      />
      <WordsDialog
        title="Accept it anyway"
        says="It counts from now on. The reason stands in the record beside what is doubted."
        does="Accept"
        asks="Why it counts"
        example="seen in every pass of this scene, and at home too"
        open={open === "same"}
        close={() => show(null)}
        done={(reason) => settle({ how: "accepted", reason })}
      >
        <Sentences doubts={about} />
        <WhatIf study={study.id} passes={ids} state="accepted" open={open === "same"} />
      </WordsDialog>
      <WordsDialog
        title={assumed?.check === "lock" ? "The cap is known" : "Passes of this test take that long"}
        says={
          assumed?.check === "lock"
            ? "Passes of the same lane and test that are held at this rate are measured again with the cap named. What they were run with stays as it was."
            : "Passes of this test are held against that length from now on. Put the scene's card right as well, for its next version."
        }
        does="From now on"
        asks="How it is known"
        example={
          assumed?.check === "lock" ? "the game's menu says so" : "the route was walked to the new gate"
        }
        cap={assumed?.check === "lock"}
        open={open === "known"}
        close={() => show(null)}
        done={(reason, cap) =>
          settle(
            {
              how: "assumed",
              check: assumed?.check ?? "",
              reason,
              cap_name: assumed?.check === "lock" ? cap : "",
            },
            assumes,
          )
        }
      />
      <WordsDialog
        title="Odd, but real"
        says="Its repeat agrees, so it stands. It counts, and is told as odd with every finding."
        does="It stands"
        asks="What may be behind it"
        example="the scene loads its far half only on this driver"
        needed={false}
        open={open === "odd"}
        close={() => show(null)}
        done={(reason) => settle({ how: "odd", reason })}
      />
    </div>
  );
}

const NO_DOUBTS = new Map<number, PassDoubt[]>();
const idsOf = (passes: readonly Pass[]) => passes.map((one) => one.id);

/** The reason for rejecting passes that most of what is doubted about them speaks for; none where nothing is. */
export function likelyReason(doubts: readonly { check: string }[]): string {
  const votes = new Map<string, number>();
  for (const one of doubts) {
    const reason = words().likely[one.check] ?? "odd";
    votes.set(reason, (votes.get(reason) ?? 0) + 1);
  }
  return [...votes].sort((a, b) => b[1] - a[1])[0]?.[0] ?? "other";
}

/** Doubts as a list of sentences, for a dialog. */
function Sentences({ doubts }: { doubts: readonly PassDoubt[] }) {
  return (
    <ul className="grid gap-1.5">
      {doubts.map((one) => (
        <li key={one.check} className="border-l-4 border-accent bg-mark/40 px-3 py-1.5">
          {one.words}
        </li>
      ))}
    </ul>
  );
}
