import { useState } from "react";
import { fps } from "../../format";
import { useNow } from "./useRun";
import { countdown, type Instruction, STEP_WORDS } from "./view";

/** Type that reads from two metres, smaller as the words grow. */
function sizeOf(words: string): string {
  if (words.length <= 26) return "text-[clamp(3.2rem,7vw,6.5rem)]";
  if (words.length <= 60) return "text-[clamp(2.6rem,5.2vw,5rem)]";
  return "text-[clamp(2rem,3.6vw,3.4rem)]";
}

/** Seconds that run down, read from the corner of an eye. */
const DIGITS = "figure font-extrabold text-[clamp(9rem,26vw,22rem)] leading-[0.8]";

interface Props {
  instruction: Instruction;
  /** Seconds left of the countdown, where one runs. */
  counting: number | null;
  /** How many times faster than true time the bench is. */
  speed: number;
}

/** The one instruction, as large as it can be. */
export function Screen({ instruction, counting, speed }: Props) {
  if (counting !== null && counting > 0) {
    return (
      <div className="grid gap-5">
        <p className="text-[1.8rem] text-soft">Start when this is gone</p>
        <p role="timer" aria-live="assertive" className={DIGITS}>
          {counting}
        </p>
        <p className="text-[2rem] text-soft">Hand on the game.</p>
      </div>
    );
  }
  if (instruction.kind === "paused") {
    return (
      <Big kicker="Paused" words="Take your time">
        <p className="text-[1.8rem] text-soft">
          A pause is no time at the bench. The machine cools meanwhile.
        </p>
      </Big>
    );
  }
  if (instruction.kind === "finished") {
    return (
      <Big kicker="Nothing is left to run" words="All passes are run">
        <p className="text-[1.8rem] text-soft">What deserves another look waits in Passes.</p>
      </Big>
    );
  }
  if (instruction.kind === "running") return <Running instruction={instruction} />;
  if (instruction.kind === "waiting") return <Waiting instruction={instruction} />;
  if (instruction.kind === "verdict") return <Verdict verdict={instruction.verdict} />;
  if (instruction.kind === "mismatch") {
    const { mismatch } = instruction;
    return (
      <Big
        kicker="Stop: it reads back otherwise"
        words={`${mismatch.setting}: ${mismatch.seen || "not seen"}`}
        loud
      >
        <p className="max-w-[70rem] text-[1.9rem] leading-snug">{mismatch.worth}</p>
        <p className="text-[1.9rem]">
          Set it to <b>{mismatch.wanted}</b>, then look again.
        </p>
      </Big>
    );
  }
  if (instruction.kind === "step") return <Step instruction={instruction} speed={speed} />;
  return null;
}

function Big({
  kicker,
  words,
  children,
  loud = false,
}: {
  kicker: string;
  words: string;
  children?: React.ReactNode;
  loud?: boolean;
}) {
  return (
    <div aria-live="polite" className="grid gap-4">
      <p className={`text-[1.6rem] ${loud ? "font-bold text-accent" : "text-soft"}`}>{kicker}</p>
      <h1 className={`${sizeOf(words)} font-extrabold leading-[1.04]`} style={{ fontStretch: "88%" }}>
        {words}
      </h1>
      {children}
    </div>
  );
}

function Caution({ words }: { words: string }) {
  return (
    <p className="max-w-[75rem] border-accent border-l-8 bg-mark/50 px-5 py-3 text-[1.5rem] leading-snug">
      <b>Caution.</b> {words}
    </p>
  );
}

type StepOf = Extract<Instruction, { kind: "step" }>["step"];

function Step({
  instruction,
  speed,
}: {
  instruction: Extract<Instruction, { kind: "step" }>;
  speed: number;
}) {
  const { step, coming } = instruction;
  const kicker = `${STEP_WORDS[step.kind]} · step ${step.place} of ${step.of} to the pass`;
  if (step.kind === "read_back" && step.question) {
    const { question } = step;
    return (
      <Big kicker={kicker} words={`${question.setting} should say ${question.wanted}`}>
        <p className="text-[1.9rem] leading-snug">
          <span className="text-soft">Look in a second place:</span> {question.where}.
        </p>
        {question.shows !== null && (
          <p className="text-[1.9rem]">
            The simulated bench shows <b className="bg-mark px-2">{question.shows || "nothing"}</b>.
          </p>
        )}
      </Big>
    );
  }
  if (step.kind === "card" && coming) {
    const { card } = coming;
    return (
      <Big kicker={kicker} words={card.scene}>
        <dl className="grid max-w-[78rem] grid-cols-[9rem_1fr] gap-x-6 gap-y-2 text-[1.75rem] leading-snug">
          <CardLine term="Start" says={card.start} />
          <CardLine term="Route" says={card.route} />
          <CardLine term="End" says={card.end} />
          <CardLine term="Length" says={card.length_s === null ? "not given yet" : `${card.length_s} s`} />
          <CardLine
            term="Game told"
            says={[card.resolution, card.settings].filter(Boolean).join(", ") || card.condition}
          />
        </dl>
      </Big>
    );
  }
  if (step.kind === "pass" || step.kind === "warm_up") {
    const runs = step.runs > 1 ? ` ${step.run} of ${step.runs}` : "";
    const length = coming?.card.length_s ? ` · ${step.seconds} s` : "";
    return (
      <Big
        kicker={step.kind === "pass" ? `The pass${length}` : `Warm-up${runs}${length}, not counted`}
        words={coming?.card.start ? `Start: ${coming.card.start}` : step.words}
      >
        {step.kind === "warm_up" && <p className="text-[1.8rem] text-soft">{step.words}</p>}
        {coming?.card.end && (
          <p className="text-[1.8rem]">
            <span className="text-soft">Ends:</span> {coming.card.end}
          </p>
        )}
      </Big>
    );
  }
  if (step.kind === "wait") return <Wait key={step.key} step={step} kicker={kicker} speed={speed} />;
  return (
    <Big kicker={kicker} words={sentence(step.words)}>
      {step.caution && <Caution words={step.caution} />}
    </Big>
  );
}

/** Time that has to pass before a run: how much of it is left since this came on screen. */
function Wait({ step, kicker, speed }: { step: StepOf; kicker: string; speed: number }) {
  const [since] = useState(() => Date.now());
  const leftMs = (step.seconds * 1000) / speed - (useNow(true, 250) - since);
  return (
    <div className="grid gap-5">
      <p className="text-[1.6rem] text-soft">{kicker}</p>
      <h1 className={`${sizeOf(step.title)} font-extrabold leading-[1.04]`}>{step.title}</h1>
      <p role="timer" className={DIGITS} aria-label={`${countdown(leftMs)} seconds left`}>
        {countdown(leftMs)}
      </p>
      <p className="text-[1.6rem] text-soft">{leftMs > 0 ? `${step.words}.` : "The time is over."}</p>
    </div>
  );
}

function CardLine({ term, says }: { term: string; says: string }) {
  if (!says) return null;
  return (
    <>
      <dt className="text-soft">{term}</dt>
      <dd>{says}</dd>
    </>
  );
}

function Running({ instruction }: { instruction: Extract<Instruction, { kind: "running" }> }) {
  const { sinceMs, wholeMs, underWay, coming } = instruction;
  const leftMs = wholeMs === null ? null : wholeMs - sinceMs;
  return (
    <div className="grid gap-5">
      <p className="text-[1.8rem] text-soft">{underWay.warmUp ? "Warming up, not counted" : "Running"}</p>
      {leftMs === null || wholeMs === null ? (
        <>
          <p role="timer" className={DIGITS} aria-label={`${countdown(sinceMs)} seconds since it began`}>
            {countdown(sinceMs)}
          </p>
          <p className="text-[1.6rem] text-soft">
            Nobody gave this scene a length yet: press <kbd className="key text-[1.3rem]">Space</kbd> when it
            ends.
          </p>
        </>
      ) : (
        <>
          <p role="timer" className={DIGITS} aria-label={`${countdown(leftMs)} seconds left`}>
            {countdown(leftMs)}
          </p>
          <div className="h-4 w-full border border-mute" aria-hidden="true">
            <div
              className="h-full bg-ink"
              style={{ width: `${Math.min(1, Math.max(0, sinceMs / wholeMs)) * 100}%` }}
            />
          </div>
        </>
      )}
      {coming?.card.end && (
        <p className="text-[1.6rem]">
          <span className="text-soft">Ends:</span> {coming.card.end}
        </p>
      )}
    </div>
  );
}

function Waiting({ instruction }: { instruction: Extract<Instruction, { kind: "waiting" }> }) {
  const { underWay, sinceMs, late } = instruction;
  const what = underWay.warmUp ? "The warm-up is over" : "Stop. The run is over";
  const placed = underWay.refused ? "A file waits for a word" : "No capture has come";
  return (
    <Big kicker={what} words={late ? placed : "Waiting for the capture …"} loud={late}>
      <p className="text-[2rem] text-soft">
        <span className="figure">{countdown(sinceMs)}</span> s since its end
      </p>
      {underWay.refused && (
        <p role="alert" className="max-w-[70rem] text-[1.7rem]">
          {underWay.refused}
        </p>
      )}
      {underWay.says && <p className="text-[1.7rem]">The simulated bench says: {underWay.says}.</p>}
      {late && !underWay.says && !underWay.refused && (
        <p className="max-w-[70rem] text-[1.7rem] leading-snug">
          Is the logger on? Does bench_link run and watch its folder? Run it again, type the result, or take a
          file that waits.
        </p>
      )}
    </Big>
  );
}

function Verdict({ verdict }: { verdict: Extract<Instruction, { kind: "verdict" }>["verdict"] }) {
  return (
    <div aria-live="polite" className="grid gap-4">
      <p className="text-[1.6rem] text-soft">
        {verdict.lane} · {verdict.test} · pass {verdict.number}
        {verdict.simulated && " · simulated"}
      </p>
      <h1 className={`${sizeOf("It counts")} font-extrabold leading-[1.04]`}>
        {verdict.doubted ? "Look again" : "It counts"}
      </h1>
      <p className="text-[1.9rem]">
        {verdict.average_fps !== null && (
          <>
            <b className="figure">{fps(verdict.average_fps)}</b> fps
          </>
        )}
        {verdict.low_1_fps !== null && (
          <>
            , 1% low <b className="figure">{fps(verdict.low_1_fps)}</b>
          </>
        )}
        <span className="text-soft"> · {verdict.sentence}</span>
      </p>
      {verdict.told_by_file
        .filter((told) => told.holds)
        .map((told) => (
          <p key={told.setting} className="text-[1.6rem] text-soft">
            Read back from the file: {told.setting} <b className="figure text-ink">{told.reads}</b>, to be{" "}
            {told.wanted}
          </p>
        ))}
      {verdict.doubts.slice(0, 3).map((doubt) => (
        <p
          key={doubt.check}
          className={`max-w-[75rem] border-l-8 px-5 py-2 text-[1.6rem] leading-snug ${doubt.weak ? "border-rule text-soft" : "border-accent bg-mark/40"}`}
        >
          {doubt.words}
          {doubt.weak && " (This check is unsure.)"}
        </p>
      ))}
    </div>
  );
}

/** Words as a sentence's beginning. */
function sentence(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1);
}
