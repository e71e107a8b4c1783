import { type FormEvent, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Problem } from "../../api/client";
import { useMachines } from "../../api/queries";
import { type Log, logActs, type Step, useLogAct } from "../../api/tuning";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { useKeysOf } from "../../controls/Keys";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { figure, readNumber } from "../../format";
import { type Instruction, instructionOf, OUTCOMES, unstruck } from "./instruction";

const KEYS = [
  { key: "n", does: "the next step" },
  { key: "r", does: "what reads back" },
  { key: "t", does: "a stability run" },
  { key: "g", does: "figures of a quick pass" },
];

type Doing = "step" | "read" | "test" | "figures" | null;

/** What is to be done now, in large letters: set, read back, test, figures. */
export function AtTheBench({ log }: { log: Log }) {
  const last = log.steps.at(-1);
  const instruction = instructionOf(log);
  const [doing, setDoing] = useState<Doing>(null);
  const simulate = useLogAct((step: number) => logActs.simulate(step));
  const capture = useLogAct(({ step, file }: { step: number; file: File }) => logActs.capture(step, file));
  const backedUp = useLogAct(() => logActs.backedUp(log.id));
  const file = useRef<HTMLInputElement>(null);
  // A key that is pressed in a dialog of any kind is that dialog's.
  const free = () => doing === null && !document.querySelector("[role=dialog]");
  const bare = log.simulated && last !== undefined && unstruck(last.runs).length === 0;
  useHotkeys("n", () => setDoing("step"), { enabled: free, preventDefault: true });
  useHotkeys("r", () => setDoing("read"), { enabled: () => free() && !!last, preventDefault: true });
  useHotkeys("t", () => setDoing("test"), { enabled: () => free() && !!last, preventDefault: true });
  useHotkeys("g", () => setDoing("figures"), { enabled: () => free() && !!last, preventDefault: true });
  useHotkeys("p", () => last && simulate.mutate(last.id), {
    enabled: () => free() && bare,
    preventDefault: true,
  });
  useKeysOf("At the bench", KEYS);
  const main = (which: Instruction["kind"]) => (instruction.kind === which ? "main" : "plain");
  return (
    <section aria-label="At the bench" className="sheet mt-5 border-ink! px-5 py-4">
      <div className="flex flex-wrap items-baseline justify-between gap-x-6">
        <p className="label">{instruction.label}</p>
        <AtMachine log={log} />
      </div>
      <p
        className="text-[2.4rem] leading-tight font-bold max-sm:text-[1.7rem]"
        style={{ fontStretch: "85%" }}
      >
        {instruction.words}
      </p>
      <p className="mt-1 text-[1.05rem] text-soft">{instruction.why}</p>
      {instruction.kind === "step" && log.memory && !log.backed_up_by && (
        <p className="mt-2 border-accent border-l-4 pl-3 font-semibold">
          Back your data up before memory work.{" "}
          <Button onClick={() => backedUp.mutate(undefined)}>It is backed up</Button>
        </p>
      )}
      {instruction.caution && (
        <p className="mt-2 border-accent border-l-4 pl-3">
          <b>Caution.</b> {instruction.caution}
        </p>
      )}
      <div className="mt-4 flex flex-wrap gap-2">
        <Button kind={main("step")} shortcut="n" onClick={() => setDoing("step")}>
          {log.steps.length ? "Take the next step" : "Take the first step"}
        </Button>
        {last && bare && (
          <Button
            kind={main("test")}
            shortcut="p"
            disabled={simulate.isPending}
            onClick={() => simulate.mutate(last.id)}
          >
            Run step {last.number} on the simulated bench
          </Button>
        )}
        {last && !log.simulated && (
          <>
            <Button kind={main("read")} shortcut="r" onClick={() => setDoing("read")}>
              What reads back
            </Button>
            <Button kind={main("test")} shortcut="t" onClick={() => setDoing("test")}>
              A stability run
            </Button>
            <Button kind={main("figures")} shortcut="g" onClick={() => setDoing("figures")}>
              Figures of a quick pass
            </Button>
            <Button kind="quiet" onClick={() => file.current?.click()}>
              Figures from a capture
            </Button>
            <input
              ref={file}
              type="file"
              className="hidden"
              aria-label="Capture of a quick pass"
              onChange={(event) => {
                const chosen = event.target.files?.[0];
                if (chosen) capture.mutate({ step: last.id, file: chosen });
                event.target.value = "";
              }}
            />
          </>
        )}
      </div>
      <ErrorNotice error={simulate.error ?? capture.error ?? backedUp.error} />
      {doing === "step" && <StepDialog log={log} close={() => setDoing(null)} />}
      {doing === "read" && last && <ReadDialog log={log} step={last} close={() => setDoing(null)} />}
      {doing === "test" && last && <TestDialog log={log} step={last} close={() => setDoing(null)} />}
      {doing === "figures" && last && <FiguresDialog step={last} close={() => setDoing(null)} />}
    </section>
  );
}

/** At which test machine it is worked on, so that its captures come in by themselves. */
function AtMachine({ log }: { log: Log }) {
  const { data: machines = [] } = useMachines();
  const go = useLogAct((machine: number | null) => logActs.atMachine(log.id, machine));
  if (log.simulated) return <b className="bg-mark px-2">Simulated bench: nothing here is a result</b>;
  if (!machines.length) return null;
  return (
    <span className="flex items-center gap-2 text-[0.9rem]">
      <span aria-hidden="true" className="text-soft">
        Captures come from
      </span>
      <Select
        label="Captures come from"
        className="w-48!"
        value={log.machine_id === null ? "none" : String(log.machine_id)}
        onChange={(one) => go.mutate(one === "none" ? null : Number(one))}
        options={[
          { value: "none", label: "no test machine" },
          ...machines.map((one) => ({ value: String(one.id), label: one.name })),
        ]}
      />
      <ErrorNotice error={go.error} />
    </span>
  );
}

/** The next step: what is proposed stands in the fields. Crossing a limit is asked twice. */
function StepDialog({ log, close }: { log: Log; close: () => void }) {
  const last = log.steps.at(-1);
  const [after, setAfter] = useState(last ? String(last.id) : "");
  const from = log.steps.find((one) => String(one.id) === after) ?? null;
  const proposed = log.next;
  const start = (step: Step | null): Record<string, string> =>
    Object.fromEntries(
      log.settings.map((one) => [
        one.name,
        figure(
          step === last && proposed.setting === one.name && proposed.value !== null
            ? proposed.value
            : (step?.set[one.name] ?? one.stock),
        ),
      ]),
    );
  const [values, setValues] = useState(start(from));
  const [sample, setSample] = useState(last?.sample ?? "");
  const take = useLogAct((crossing: string[]) =>
    logActs.take(log.id, {
      set: Object.fromEntries(
        log.settings.map((one) => [one.name, readNumber(values[one.name] ?? "") ?? Number.NaN]),
      ),
      sample,
      after: from?.id ?? null,
      crossing,
    }),
  );
  const problem = take.error instanceof Problem ? take.error : null;
  const crosses = problem?.code === "crosses_limit";
  const crossed = log.settings.filter((one) => {
    const value = readNumber(values[one.name] ?? "");
    return (
      value !== null &&
      ((one.limit_low != null && value < one.limit_low) || (one.limit_high != null && value > one.limit_high))
    );
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    take.mutate(crosses ? crossed.map((one) => one.name) : [], { onSuccess: close });
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={`Step ${log.steps.length + 1}`}
      description={log.next.words}
    >
      <form onSubmit={submit} className="grid gap-4">
        {log.steps.length > 0 && (
          <Labelled label="Going on from">
            <Select
              label="Going on from"
              value={after}
              onChange={(one) => {
                setAfter(one);
                setValues(start(log.steps.find((each) => String(each.id) === one) ?? null));
              }}
              options={log.steps.map((one) => ({
                value: String(one.id),
                label: `step ${one.number}: ${one.words}${one.state === "unstable" ? ", failed" : ""}`,
              }))}
            />
          </Labelled>
        )}
        {log.settings.map((one, at) => (
          <NumberField
            key={one.name}
            label={one.unit ? `${one.name}, ${one.unit}` : one.name}
            required
            autoFocus={at === 0}
            value={values[one.name] ?? ""}
            hint={
              one.limit_low == null && one.limit_high == null
                ? "The maker’s limit is not known: nothing is proposed past stock."
                : `The maker states ${one.limit_low ?? "–"} to ${one.limit_high ?? "–"} ${one.unit} (${one.limit_source}).`
            }
            onChange={(text) => setValues((now) => ({ ...now, [one.name]: text }))}
          />
        ))}
        <Field
          label="Sample, where there are several of the part"
          maxLength={40}
          value={sample}
          onChange={(event) => setSample(event.target.value)}
        />
        <FormEnd
          error={take.error}
          leave={close}
          leaveLabel="Leave it"
          disabled={take.isPending}
          grave={crosses}
          does={crosses ? "Cross the maker’s limit all the same" : "It is set"}
        />
      </form>
    </Dialog>
  );
}

function ReadDialog({ log, step, close }: { log: Log; step: Step; close: () => void }) {
  const [values, setValues] = useState<Record<string, string>>({});
  const keep = useLogAct((read: Record<string, number>) => logActs.readBack(step.id, read));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const read = log.settings.flatMap((one) => {
      const value = readNumber(values[one.name] ?? "");
      return value === null ? [] : [[one.name, value] as const];
    });
    keep.mutate(Object.fromEntries(read), { onSuccess: close });
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={`What reads back at step ${step.number}?`}
      description="Look in a second place than the one it was set in."
    >
      <form onSubmit={submit} className="grid gap-4">
        {log.settings.map((one, at) => (
          <NumberField
            key={one.name}
            label={one.unit ? `${one.name} reads, ${one.unit}` : `${one.name} reads`}
            autoFocus={at === 0}
            value={values[one.name] ?? ""}
            onChange={(text) => setValues((now) => ({ ...now, [one.name]: text }))}
          />
        ))}
        <FormEnd
          error={keep.error}
          leave={close}
          leaveLabel="Leave it"
          disabled={keep.isPending}
          does="That is what it says"
        />
      </form>
    </Dialog>
  );
}

function TestDialog({ log, step, close }: { log: Log; step: Step; close: () => void }) {
  const before = log.steps.flatMap((one) => one.runs).at(-1);
  const [program, setProgram] = useState(before?.program ?? "");
  const [minutes, setMinutes] = useState(figure(log.stability_min));
  const [outcome, setOutcome] = useState<string>("");
  const note = useLogAct((told: Parameters<typeof logActs.run>[1]) => logActs.run(step.id, told));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    note.mutate(
      { program, minutes: readNumber(minutes) ?? Number.NaN, outcome: outcome as "passed" },
      { onSuccess: close },
    );
  };
  return (
    <Dialog open onOpenChange={(now) => !now && close()} title={`A stability run at step ${step.number}`}>
      <form onSubmit={submit} className="grid gap-4">
        <Field
          label="Program, or game"
          required
          autoFocus
          maxLength={120}
          suggestions={[...new Set(log.steps.flatMap((one) => one.runs.map((run) => run.program)))]}
          value={program}
          onChange={(event) => setProgram(event.target.value)}
        />
        <NumberField label="Minutes that it ran" required min={0} value={minutes} onChange={setMinutes} />
        <fieldset className="grid gap-1">
          <legend className="label mb-1">How it ended</legend>
          {OUTCOMES.map(([value, words]) => (
            <label key={value} className="flex items-center gap-2">
              <input
                type="radio"
                name="outcome"
                value={value}
                required
                checked={outcome === value}
                onChange={() => setOutcome(value)}
              />
              {words}
            </label>
          ))}
        </fieldset>
        {outcome === "hang" && log.reset_words && (
          <p className="border-accent border-l-4 pl-3">{log.reset_words}</p>
        )}
        <FormEnd
          error={note.error}
          leave={close}
          leaveLabel="Leave it"
          disabled={note.isPending}
          does="Note it"
        />
      </form>
    </Dialog>
  );
}

const FIGURES = [
  ["fps", "fps, or a score"],
  ["w", "W"],
  ["temperature_c", "°C"],
  ["hotspot_c", "Hotspot, °C"],
  ["fan_rpm", "Fan, rpm"],
  ["noise_dba", "Noise, dB(A)"],
] as const;

function FiguresDialog({ step, close }: { step: Step; close: () => void }) {
  const [values, setValues] = useState<Record<string, string>>({});
  const [what, setWhat] = useState(step.passes.at(-1)?.what ?? "");
  const note = useLogAct((told: Parameters<typeof logActs.quick>[1]) => logActs.quick(step.id, told));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const read = Object.fromEntries(FIGURES.map(([name]) => [name, readNumber(values[name] ?? "")]));
    note.mutate({ ...read, what, fps: read.fps ?? Number.NaN }, { onSuccess: close });
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={`A quick pass at step ${step.number}`}
      description="Several passes tell how far they scatter; one alone tells nothing of that."
    >
      <form onSubmit={submit} className="grid gap-4">
        <Field
          label="What was run"
          maxLength={160}
          value={what}
          onChange={(event) => setWhat(event.target.value)}
        />
        <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
          {FIGURES.map(([name, label], at) => (
            <NumberField
              key={name}
              label={label}
              autoFocus={at === 0}
              required={at === 0}
              value={values[name] ?? ""}
              onChange={(text) => setValues((now) => ({ ...now, [name]: text }))}
            />
          ))}
        </div>
        <FormEnd
          error={note.error}
          leave={close}
          leaveLabel="Leave it"
          disabled={note.isPending}
          does="Note it"
        />
      </form>
    </Dialog>
  );
}
