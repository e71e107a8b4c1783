import { useEffect, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { Button } from "../../controls/Button";
import { useKeysOf } from "../../controls/Keys";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { count } from "../../format";
import { applyScheme } from "../../scheme";
import { type Acting, beginRun, endRun, goOnFrom, readBack, repeat } from "./acting";
import { Begin } from "./Begin";
import { Foot, LaneStrip, Strip } from "./Frame";
import { RunDialogs } from "./RunDialogs";
import type { Asking } from "./RunForms";
import { Screen } from "./Screen";
import { muted, setMuted, sound } from "./sound";
import { useNow, useRun, useSince } from "./useRun";
import { type Instruction, instructionOf, passOf, refusedWords, type View } from "./view";

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
  { key: "h", does: "what would settle most next" },
  { key: "t", does: "room temperature" },
  { key: "i", does: "put a file beside the pass" },
  { key: "u", does: "type the result" },
  { key: "g", does: "files that wait" },
  { key: "m", does: "sound on or off" },
  { key: "b", does: "fill the screen" },
  { key: "v", does: "take over driving" },
  { key: "e", does: "end the session" },
  { key: "q", does: "a refusal was seen" },
];
const COUNTDOWN_S = 3;

/** A study at the bench: full screen, dark, one instruction and one key to go on. */
export default function Run() {
  const study = Number(useParams().study);
  const named = useSearchParams()[0].get("session");
  return <OneRun key={`${study} ${named}`} study={study} session={named === null ? null : Number(named)} />;
}

/** One session of a study; several may run at once, each at its own test machine. */
function OneRun({ study, session }: { study: number; session: number | null }) {
  const { view, error, act, outbox, hold, away } = useRun(study, session);
  useBenchScheme();
  useKeysOf("Run", KEYS);
  useTitle("Run", view?.run.question);
  useHotkeys("q", () => outbox.forgetRefusals(), { enabled: outbox.refusals.length > 0 }, [outbox]);
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
      {outbox.hindrance === "signed-out" && (
        <p role="alert" className="mx-4 mt-3 border-accent border-l-4 bg-mark/40 px-4 py-2 text-xl sm:mx-8">
          <b>You are signed out.</b> {count(outbox.pending.length, "act waits", "acts wait")} here: they are
          sent once you{" "}
          <a href={`/sign-in?next=${encodeURIComponent(`/studies/${study}/run`)}`}>sign in again</a>.
        </p>
      )}
      {outbox.refusals.length > 0 && (
        <div className="px-4 pt-3 sm:px-8">
          {outbox.refusals.map(({ act: refused, message, hint }) => (
            <p
              key={refused.id}
              role="alert"
              className="border-accent border-l-4 bg-mark/40 px-4 py-2 text-xl"
            >
              {refusedWords(view.run, refused)} <b>{message}</b> {hint}
            </p>
          ))}
          <Button shortcut="q" onClick={() => outbox.forgetRefusals()}>
            I have seen it
          </Button>
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
    // A larger screen is not looked at from nearer: everything grows with it. A phone is held in the hand.
    const phone = window.matchMedia("(max-width: 640px)");
    const size = () => {
      root.style.fontSize = phone.matches ? "12px" : "max(15px, min(1.17vw, 2.2vh))";
    };
    size();
    phone.addEventListener("change", size);
    return () => {
      phone.removeEventListener("change", size);
      root.style.fontSize = "";
      applyScheme();
    };
  }, []);
}

interface Props {
  view: View;
  act: Acting;
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
  // What was read back otherwise is looked at again: the question stands there once more, whatever else is done.
  const [lookedAgain, setLookedAgain] = useState(0);
  const instruction = instructionOf(
    lookedAgain === view.mismatch?.act ? { ...view, mismatch: null } : view,
    now,
  );
  const tookS = useSince(instruction.kind === "step" ? instruction.step.key : instruction.kind);
  const driving = view.driving && view.run.may_run;
  const last = view.verdict ?? null;
  const lastIn = view.verdict?.pass_id ?? view.run.last?.pass_id ?? null;
  const lastPass = passOf(view, instruction);
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
  const over =
    driving &&
    instruction.kind === "running" &&
    instruction.wholeMs !== null &&
    instruction.sinceMs >= instruction.wholeMs;
  useEffect(() => {
    if (over) endRun(view, act);
  }, [over, view, act]);

  const goOn = () => {
    if (counting !== null) return;
    goOnFrom(view, instruction, tookS(), act, {
      count: () => setCountsFrom(Date.now()),
      end: () => setAsking("end"),
      again: () => setLookedAgain(view.mismatch?.act ?? 0),
      typed: () => setAsking("seen"),
    });
  };
  const mute = () => {
    setMuted(!quiet);
    setQuiet(!quiet);
  };
  const question = step?.question ?? null;
  const says = (at: number) => {
    const value = question?.choices[at];
    return free && step && value !== undefined && (() => readBack(step, value, act));
  };
  const table: KeyTable = {
    enter: free && goOn,
    n: may && (() => setAsking("note")),
    x: free && lastIn !== null && (() => setAsking("reject")),
    r: free && (() => repeat(view, instruction, act)),
    s: free && (step !== null || view.underWay !== null) && (() => setAsking("skip")),
    y: free && step !== null && (() => act({ kind: "later", pass_id: step.pass_id })),
    k: free && (() => act({ kind: view.paused ? "resumed" : "paused" })),
    o: free && (() => setAsking("order")),
    h: free && (() => setAsking("next")),
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
  };
  useKeyTable(table);

  return (
    <>
      <LaneStrip instruction={instruction} />
      <div className="flex grow flex-col justify-center px-4 py-4 sm:px-8">
        <Screen instruction={instruction} counting={counting} speed={view.run.session?.speed ?? 1} />
      </div>
      <Foot
        instruction={instruction}
        mayRun={view.run.may_run}
        quiet={quiet}
        tray={view.run.tray.length}
        looksOn={!driving}
        onKey={(key) => {
          const does = table[key];
          if (does) does();
        }}
        may={(key) => Boolean(table[key])}
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

type KeyTable = Record<string, (() => void) | false | null>;

/** A second press of the same key within this is the first one's: a hand that taps twice means it once. */
const TWICE_MS = 350;

/**
 * What each key does just now; of those that do nothing the browser keeps its own. A key that is held down does it once,
 * and so does one that is tapped twice.
 */
function useKeyTable(table: KeyTable) {
  const last = useRef({ key: "", at: 0 });
  useHotkeys(Object.keys(table).join(","), (event) => {
    const key = event.key.toLowerCase();
    const does = table[key];
    if (!does) return;
    event.preventDefault();
    const twice = last.current.key === key && event.timeStamp - last.current.at < TWICE_MS;
    if (event.repeat || twice) return;
    last.current = { key, at: event.timeStamp };
    does();
  });
}

async function fillScreen() {
  if (document.fullscreenElement) await document.exitFullscreen();
  else await document.documentElement.requestFullscreen?.();
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
