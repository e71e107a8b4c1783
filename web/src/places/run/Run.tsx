import { useEffect, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate, useParams } from "react-router";
import { useKeysOf } from "../../controls/Keys";
import { LaneMark } from "../../controls/LaneMark";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { benchMoment, count, hours } from "../../format";
import { applyScheme } from "../../scheme";
import { Begin } from "./Begin";
import type { Told } from "./outbox";
import { type Asking, RunDialogs } from "./RunDialogs";
import { Screen } from "./Screen";
import { muted, setMuted, sound } from "./sound";
import { useNow, useRun, useSince } from "./useRun";
import { goOnWords, type Instruction, instructionOf, type View } from "./view";

/** Keys beside the one to go on, in the order in which they stand below. */
const KEYS = [
  { key: "Enter", does: "go on" },
  { key: "n", does: "note" },
  { key: "x", does: "reject the last pass" },
  { key: "r", does: "repeat the last pass" },
  { key: "s", does: "skip: did not run" },
  { key: "y", does: "put this pass off" },
  { key: "k", does: "pause" },
  { key: "o", does: "another order for the rest" },
  { key: "t", does: "room temperature" },
  { key: "i", does: "put a file beside the pass" },
  { key: "u", does: "type the result" },
  { key: "g", does: "files that wait" },
  { key: "m", does: "sound on or off" },
  { key: "b", does: "fill the screen" },
  { key: "v", does: "take over driving" },
  { key: "e", does: "end the session" },
];
const COUNTDOWN_S = 3;

/** A study at the bench: full screen, dark, one instruction and one key to go on. */
export default function Run() {
  const study = Number(useParams().study);
  const { view, error, act, outbox, hold, away } = useRun(study);
  useBenchScheme();
  useKeysOf("Run", KEYS);
  useTitle("Run", view?.run.question);
  if (error) {
    return (
      <div className="p-10">
        <ErrorNotice error={error} />
      </div>
    );
  }
  if (!view) return <Loading what="the bench" />;
  return (
    <div className="flex min-h-screen flex-col bg-paper">
      <Strip view={view} kept={outbox.pending.length} away={away} study={study} />
      {outbox.refusals.length > 0 && (
        <div className="px-8 pt-3">
          {outbox.refusals.map(({ act: refused, message, hint }) => (
            <p
              key={refused.id}
              role="alert"
              className="border-accent border-l-4 bg-mark/40 px-4 py-2 text-xl"
            >
              <b>{message}</b> {hint}
            </p>
          ))}
          <button type="button" className="mt-1 underline" onClick={() => outbox.forgetRefusals()}>
            Seen
          </button>
        </div>
      )}
      {view.run.session ? (
        <AtBench view={view} act={act} study={study} hold={hold} />
      ) : (
        <Begin view={view} study={study} hold={hold} />
      )}
    </div>
  );
}

/** The dark scheme while one is at the bench, also in dialogs; the reader's own comes back afterwards. */
function useBenchScheme() {
  useEffect(() => {
    const root = document.documentElement;
    root.dataset.scheme = "bench";
    // A larger screen is not looked at from nearer: everything grows with it.
    root.style.fontSize = "max(15px, min(1.17vw, 2.2vh))";
    return () => {
      root.style.fontSize = "";
      applyScheme();
    };
  }, []);
}

/** What stands above everything: the study, the time beside the plan, the network. */
function Strip({ view, kept, away, study }: { view: View; kept: number; away: boolean; study: number }) {
  const { session, progress } = view.run;
  const behind = Math.round(progress.behind_s / 60);
  return (
    <header className="flex flex-wrap items-center gap-x-6 gap-y-1 border-rule border-b px-8 py-2 text-[1.05rem]">
      <Link to={`/studies/${study}/plan`} className="plain font-semibold hover:underline">
        {view.run.question}
      </Link>
      {session?.simulated && (
        <span className="bg-mark px-2 py-0.5 font-bold">Simulated bench: nothing here is a result</span>
      )}
      <span className="ml-auto flex flex-wrap items-center gap-x-6 text-soft">
        {away && (
          <span role="status" className="bg-mark px-2 py-0.5 font-bold text-ink">
            No network{kept > 0 && ` · ${count(kept, "act")} kept here`}
          </span>
        )}
        <span>
          <b className="figure text-ink">{progress.run}</b> run,{" "}
          <b className="figure text-ink">{progress.left}</b> to go
        </span>
        {session && (
          <span>
            {hours(progress.used_s)} used
            {Math.abs(behind) >= 1 &&
              `, ${Math.abs(behind)} min ${behind > 0 ? "more" : "less"} than planned`}
          </span>
        )}
        {progress.ends && <span>ends {benchMoment(progress.ends)}</span>}
        {progress.dropped.length > 0 && (
          <span className="font-semibold text-accent">
            too late for {progress.dropped.slice(0, 2).join("; ")}
            {progress.dropped.length > 2 && ` and ${progress.dropped.length - 2} more`}
          </span>
        )}
        {session && !view.driving && <span className="text-ink">{session.driver} drives, you look on</span>}
      </span>
    </header>
  );
}

interface Props {
  view: View;
  act: (told: Told) => unknown;
  study: number;
  hold: (run: View["run"]) => void;
}

function AtBench({ view, act, study, hold }: Props) {
  const [asking, setAsking] = useState<Asking>(null);
  const [countsFrom, setCountsFrom] = useState<number | null>(null);
  const [quiet, setQuiet] = useState(muted());
  const go = useNavigate();
  const moving = view.underWay !== null || countsFrom !== null;
  const now = useNow(moving);
  // What was read back otherwise is looked at again: the question stands there once more.
  const [lookedAgain, setLookedAgain] = useState(0);
  const instruction = instructionOf(
    lookedAgain === view.run.number ? { ...view, mismatch: null } : view,
    now,
  );
  const tookS = useSince(instruction.kind === "step" ? instruction.step.key : instruction.kind);
  const driving = view.driving && view.run.may_run;
  const last = view.verdict ?? null;
  const lastIn = view.verdict?.pass_id ?? view.run.last?.pass_id ?? null;
  const lastPass = last?.pass_id ?? lastOf(instruction);
  const free = driving && asking === null;
  const may = view.run.may_run && asking === null;

  const counting = countsFrom === null ? null : COUNTDOWN_S - Math.floor((now - countsFrom) / 1000);
  const step = instruction.kind === "step" ? instruction.step : null;
  useSignals(view, instruction, counting);

  // The countdown has run out: the run begins now.
  useEffect(() => {
    if (counting === null || counting > 0) return;
    setCountsFrom(null);
    if (instruction.kind === "step") beginRun(instruction, act);
  }, [counting, act, instruction]);
  // The scene's length is over: the run ended by itself.
  const over = driving && instruction.kind === "running" && instruction.leftMs <= 0;
  useEffect(() => {
    if (over) endRun(view, act);
  }, [over, view, act]);

  const goOn = () => {
    if (counting !== null) return;
    goOnFrom(view, instruction, tookS(), act, {
      count: () => setCountsFrom(Date.now()),
      end: () => setAsking("end"),
      again: () => setLookedAgain(view.run.number),
    });
  };
  const mute = () => {
    setMuted(!quiet);
    setQuiet(!quiet);
  };
  const question = step?.question ?? null;
  const says = (at: number) => {
    const other = question?.others[at];
    return free && step && other !== undefined && (() => readBack(step, other, act));
  };
  useKeyTable({
    enter: free && goOn,
    n: may && (() => setAsking("note")),
    x: free && lastIn !== null && (() => setAsking("reject")),
    r: free && (() => repeat(view, instruction, act)),
    s: free && (step !== null || view.underWay !== null) && (() => setAsking("skip")),
    y: free && step !== null && (() => act({ kind: "later", pass_id: step.pass_id })),
    k: free && (() => act({ kind: view.paused ? "resumed" : "paused" })),
    o: free && (() => setAsking("order")),
    t: may && (() => setAsking("room")),
    i: may && lastPass !== null && (() => setAsking("file")),
    u: free && instruction.kind === "waiting" && (() => setAsking("typed")),
    g: may && (() => setAsking("tray")),
    l: free && last !== null && (() => act({ kind: "left", pass_id: last.pass_id })),
    a: free && instruction.kind === "mismatch" && (() => setAsking("anyway")),
    w: free && question !== null && (() => setAsking("seen")),
    e: free && (() => setAsking("end")),
    v: may && !view.driving && (() => act({ kind: "drove" })),
    b: asking === null && (() => void fillScreen()),
    m: asking === null && mute,
    "1": says(0),
    "2": says(1),
    "3": says(2),
    "4": says(3),
    "5": says(4),
  });

  return (
    <>
      <LaneStrip instruction={instruction} />
      <div className="flex grow flex-col justify-center px-8 py-4">
        <Screen instruction={instruction} counting={counting} view={view} />
      </div>
      <Foot
        instruction={instruction}
        driving={driving}
        mayRun={view.run.may_run}
        quiet={quiet}
        tray={view.run.tray.length}
        onGoOn={goOn}
        onTakeOver={() => act({ kind: "drove" })}
        counting={counting !== null}
      />
      <RunDialogs
        asking={asking}
        close={() => setAsking(null)}
        view={view}
        instruction={instruction}
        act={act}
        study={study}
        hold={hold}
        leave={() => go(`/studies/${study}/passes`)}
      />
    </>
  );
}

/** What each key does just now; of those that do nothing the browser keeps its own. */
function useKeyTable(table: Record<string, (() => void) | false | null>) {
  useHotkeys(Object.keys(table).join(","), (event) => {
    const does = table[event.key.toLowerCase()];
    if (!does) return;
    event.preventDefault();
    does();
  });
}

function lastOf(instruction: Instruction): number | null {
  if (instruction.kind === "running" || instruction.kind === "waiting") return instruction.underWay.passId;
  return instruction.kind === "step" ? instruction.step.pass_id : null;
}

async function fillScreen() {
  if (document.fullscreenElement) await document.exitFullscreen();
  else await document.documentElement.requestFullscreen?.();
}

/** The key to go on, by what is to be done now. */
function goOnFrom(
  view: View,
  instruction: Instruction,
  tookS: number,
  act: Props["act"],
  to: { count: () => void; end: () => void; again: () => void },
): void {
  if (instruction.kind === "paused") {
    act({ kind: "resumed" });
  } else if (instruction.kind === "verdict") {
    const { verdict } = instruction;
    const firm = verdict.doubts.some((doubt) => !doubt.weak);
    act({ kind: firm ? "repeated" : "accepted", pass_id: verdict.pass_id });
  } else if (instruction.kind === "running") {
    endRun(view, act);
  } else if (instruction.kind === "waiting") {
    act({ kind: "aborted", pass_id: instruction.underWay.passId });
  } else if (instruction.kind === "mismatch") {
    to.again();
  } else if (instruction.kind === "finished") {
    to.end();
  } else if (instruction.kind === "step") {
    const { step } = instruction;
    if (step.kind === "pass" || step.kind === "warm_up") {
      sound("tick");
      to.count();
    } else if (step.kind === "read_back") {
      readBack(step, step.question?.wanted ?? "", act);
    } else {
      act({
        kind: "done",
        step: step.key,
        pass_id: step.pass_id,
        took_s: Math.min(tookS, 86_400),
        planned_s: step.seconds,
        cost: step.cost,
      });
    }
  }
}

function readBack(
  step: { key: string; pass_id: number; question: { setting: string } | null },
  seen: string,
  act: Props["act"],
) {
  act({
    kind: "read_back",
    step: step.key,
    pass_id: step.pass_id,
    setting: step.question?.setting ?? "",
    seen,
  });
}

/** The countdown has run out. */
function beginRun(instruction: Extract<Instruction, { kind: "step" }>, act: Props["act"]): void {
  const { step, coming } = instruction;
  act({
    kind: "began",
    step: step.key,
    pass_id: step.pass_id,
    warm_up: step.kind === "warm_up",
    after_load: coming?.after_load ?? false,
  });
}

/** The run is over: a warm-up is done with that, a pass waits for its file. */
function endRun(view: View, act: Props["act"]): void {
  const { underWay } = view;
  if (!underWay) return;
  const step = view.run.steps.find((one) => one.key === underWay.step);
  const took_s = Math.max(0, (Date.now() - underWay.beganMs) / 1000);
  const told = { pass_id: underWay.passId, took_s, planned_s: step?.seconds ?? took_s };
  act(underWay.warmUp ? { kind: "done", step: underWay.step, ...told } : { kind: "ended", ...told });
}

/** Once more: the pass that came in last, or the run that is under way. */
function repeat(view: View, instruction: Instruction, act: Props["act"]): void {
  if (view.verdict) act({ kind: "repeated", pass_id: view.verdict.pass_id });
  else if (instruction.kind === "running" || instruction.kind === "waiting")
    act({ kind: "aborted", pass_id: instruction.underWay.passId });
  else if (view.run.last) act({ kind: "repeated", pass_id: view.run.last.pass_id });
}

/** Sounds as things happen, each once. */
function useSignals(view: View, instruction: Instruction, counting: number | null) {
  const running = instruction.kind === "running";
  const verdict = view.verdict ? `${view.verdict.pass_id}${view.verdict.doubts.length ? "?" : ""}` : "";
  useEffect(() => {
    if (counting !== null && counting > 0) sound("tick");
  }, [counting]);
  useEffect(() => {
    if (running) {
      sound("start");
      return () => sound("end");
    }
  }, [running]);
  useEffect(() => {
    if (verdict) sound(verdict.endsWith("?") ? "doubt" : "good");
  }, [verdict]);
}

/** Which lane and pass it is about, in its lane's colour and shape. */
function LaneStrip({ instruction }: { instruction: Instruction }) {
  const coming =
    instruction.kind === "step" ||
    instruction.kind === "running" ||
    instruction.kind === "waiting" ||
    instruction.kind === "mismatch"
      ? instruction.coming
      : null;
  if (!coming) return null;
  return (
    <div className="flex flex-wrap items-center gap-x-8 gap-y-1 px-8 pt-5 text-[1.7rem] leading-tight">
      <span className="inline-flex items-center gap-3 font-bold">
        <LaneMark lane={coming.lane_position} size={30} />
        {coming.lane}
      </span>
      <span>{coming.card.game}</span>
      <span className="text-soft">
        {coming.card.scene}, {coming.card.condition}
      </span>
      <span className="figure ml-auto text-soft">
        pass {coming.number}
        {coming.number <= coming.of ? ` of ${coming.of}` : ""}
        {coming.role === "repeat" && ", a repeat"}
        {coming.role === "control" && ", control"}
      </span>
    </div>
  );
}

interface FootProps {
  instruction: Instruction;
  driving: boolean;
  mayRun: boolean;
  quiet: boolean;
  tray: number;
  counting: boolean;
  onGoOn: () => void;
  onTakeOver: () => void;
}

/** The one key to go on, and the others in small. */
function Foot({ instruction, driving, mayRun, quiet, tray, counting, onGoOn, onTakeOver }: FootProps) {
  const others = otherKeys(instruction, quiet, tray);
  return (
    <footer className="border-rule border-t px-8 py-4">
      {driving ? (
        <button
          type="button"
          onClick={onGoOn}
          disabled={counting}
          className="flex w-full cursor-pointer items-center gap-6 rounded bg-ink px-6 py-4 text-left font-bold text-[2rem] text-paper leading-tight hover:bg-soft disabled:opacity-60"
        >
          <span aria-hidden="true" className="rounded border-2 border-current px-3 font-mono text-[1.5rem]">
            Enter
          </span>
          {counting ? "get ready" : goOnWords(instruction)}
        </button>
      ) : mayRun ? (
        <button
          type="button"
          onClick={onTakeOver}
          className="flex w-full cursor-pointer items-center gap-6 rounded border-2 border-ink px-6 py-4 text-left font-bold text-[2rem] leading-tight hover:bg-band"
        >
          <span aria-hidden="true" className="rounded border-2 border-current px-3 font-mono text-[1.5rem]">
            v
          </span>
          take over driving
        </button>
      ) : (
        <p className="text-[1.6rem]">You look on.</p>
      )}
      {driving && (
        <p className="mt-3 flex flex-wrap gap-x-5 gap-y-1 text-soft">
          {others.map(({ key, does }) => (
            <span key={key}>
              <kbd className="key text-[0.95rem]">{key}</kbd> {does}
            </span>
          ))}
        </p>
      )}
    </footer>
  );
}

/** Which other keys make sense just now. */
function otherKeys(instruction: Instruction, quiet: boolean, tray: number) {
  const { kind } = instruction;
  const found = [];
  if (kind === "verdict") {
    const firm = instruction.verdict.doubts.some((doubt) => !doubt.weak);
    found.push({ key: "l", does: "leave it for the desk" }, { key: "x", does: "reject it" });
    if (!firm) found.push({ key: "r", does: "repeat it" });
  }
  if (kind === "mismatch") found.push({ key: "a", does: "run anyway, with a reason" });
  if (kind === "step" && instruction.step.kind === "read_back")
    found.push({ key: "w", does: "it says something else" });
  if (kind === "running") found.push({ key: "r", does: "break off, run again" });
  if (kind === "waiting") found.push({ key: "u", does: "type the result" });
  if (kind === "step" || kind === "running" || kind === "waiting")
    found.push({ key: "s", does: "did not run" });
  if (kind === "step") found.push({ key: "y", does: "later" });
  found.push({ key: "n", does: "note" });
  if (tray) found.push({ key: "g", does: `${count(tray, "file waits", "files wait")}` });
  found.push(
    { key: "k", does: kind === "paused" ? "go on" : "pause" },
    { key: "t", does: "room" },
    { key: "m", does: quiet ? "sound on" : "sound off" },
    { key: "?", does: "all keys" },
  );
  return found;
}
