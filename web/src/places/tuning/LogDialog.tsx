import { type FormEvent, useState } from "react";
import { Problem, type Schemas } from "../../api/client";
import { useParts, useSetups } from "../../api/queries";
import { type Log, logActs, useLogAct } from "../../api/tuning";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import { figure, readNumber } from "../../format";
import { RivalPick } from "./RivalPick";

type SettingIn = Schemas["LogSettingIn"];

const KIND_WORDS: Record<string, string> = {
  voltage: "voltage",
  power: "power",
  current: "current",
  clock: "clock",
  timing: "timing",
  other: "something else",
};
const WAYS = { "": "away from stock, to either side", up: "up", down: "down" } as const;

interface Draft {
  name: string;
  unit: string;
  kind: string;
  stock: string;
  resolution: string;
  harder: string;
  low: string;
  high: string;
  source: string;
  day: string;
}

const EMPTY: Draft = {
  name: "",
  unit: "",
  kind: "voltage",
  stock: "0",
  resolution: "",
  harder: "",
  low: "",
  high: "",
  source: "",
  day: "",
};

const told = (value: number | null | undefined) => (value == null ? "" : figure(value));

function draftOf(one: Log["settings"][number]): Draft {
  return {
    name: one.name,
    unit: one.unit,
    kind: one.kind,
    stock: told(one.stock),
    resolution: told(one.resolution),
    harder: one.harder,
    low: told(one.limit_low),
    high: told(one.limit_high),
    source: one.limit_source,
    day: one.limit_day ?? "",
  };
}

function settingOf(one: Draft): SettingIn {
  const number = (text: string) => readNumber(text) ?? Number.NaN;
  const maybe = (text: string) => (text.trim() ? number(text) : null);
  return {
    name: one.name,
    unit: one.unit,
    kind: one.kind as SettingIn["kind"],
    stock: number(one.stock),
    resolution: number(one.resolution),
    harder: one.harder as SettingIn["harder"],
    limit_low: maybe(one.low),
    limit_high: maybe(one.high),
    limit_source: one.source,
    limit_day: one.day || null,
  };
}

/** A tuning log as a form: of which part, what can be set, and which limits its maker states. */
export function LogDialog({ log, close }: { log: Log | null; close: (made?: Log) => void }) {
  const { data: parts = [] } = useParts();
  const { data: setups = [] } = useSetups();
  const [title, setTitle] = useState(log?.title ?? "");
  const [setup, setSetup] = useState(log ? String(log.setup_id) : "");
  const [part, setPart] = useState(log ? String(log.part_id) : "");
  const [minutes, setMinutes] = useState(told(log?.stability_min ?? 60));
  const [reset, setReset] = useState(log?.reset_words ?? "");
  const [simulated, setSimulated] = useState(log?.simulated ?? false);
  const [rival, setRival] = useState<{ lane: number; test: number } | null>(
    log?.rival ? { lane: log.rival.lane_id, test: log.rival.test_id } : null,
  );
  const [drafts, setDrafts] = useState<Draft[]>(log ? log.settings.map(draftOf) : [EMPTY]);
  const seen = useSeen(log?.seen);
  const save = useLogAct((body: Schemas["LogIn"]) =>
    log ? logActs.edit(log.id, { ...body, seen: seen.current } as Schemas["LogEdit"]) : logActs.begin(body),
  );
  const chosen = setups.find((one) => String(one.id) === setup);
  const names = new Set(chosen?.parts.map((one) => `${one.kind} ${one.name}`));
  const inside = parts.filter((one) => names.has(`${one.kind} ${one.name}`));
  const problem = save.error instanceof Problem ? save.error : null;
  const fault = (field: string) => (problem?.field === field ? problem.message : undefined);
  const put = (at: number, change: Partial<Draft>) =>
    setDrafts((now) => now.map((one, i) => (i === at ? { ...one, ...change } : one)));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(
      {
        title,
        part_id: Number(part),
        setup_id: Number(setup),
        settings: drafts.map(settingOf),
        stability_min: readNumber(minutes) ?? Number.NaN,
        reset_words: reset,
        rival_lane_id: rival?.lane ?? null,
        rival_test_id: rival?.test ?? null,
        seed: log ? log.seed : simulated ? Math.floor(Math.random() * 100_000) : null,
      },
      { onSuccess: (made) => close(made) },
    );
  };
  return (
    <Dialog open wide onOpenChange={(now) => !now && close()} title={log ? log.title : "New tuning log"}>
      <form onSubmit={submit} className="grid gap-4">
        <Field
          label="What is asked"
          required
          autoFocus
          maxLength={160}
          placeholder="How far down does the voltage go?"
          value={title}
          error={fault("title")}
          onChange={(event) => setTitle(event.target.value)}
        />
        <div className="grid gap-3 sm:grid-cols-2">
          <Labelled label="In which setup, at stock">
            <Select
              label="In which setup, at stock"
              value={setup}
              onChange={(one) => {
                setSetup(one);
                setPart("");
              }}
              options={setups.map((one) => ({ value: String(one.id), label: one.name }))}
            />
          </Labelled>
          <Labelled label="Of which part">
            <Select
              label="Of which part"
              value={part}
              onChange={setPart}
              placeholder={setup ? "choose" : "choose the setup first"}
              options={inside.map((one) => ({ value: String(one.id), label: one.name }))}
            />
          </Labelled>
        </div>
        {drafts.map((one, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: drafts have no other name
          <fieldset key={at} className="grid gap-3 border-rule border-t pt-3">
            <legend className="label">Setting {at + 1}</legend>
            <div className="grid gap-3 sm:grid-cols-[1fr_6rem_9rem_7rem_7rem]">
              <Field
                label="Name"
                required
                maxLength={80}
                placeholder="Core voltage offset"
                value={one.name}
                error={fault(`settings.${at}.name`)}
                onChange={(event) => put(at, { name: event.target.value })}
              />
              <Field
                label="Unit"
                maxLength={16}
                placeholder="mV"
                value={one.unit}
                onChange={(event) => put(at, { unit: event.target.value })}
              />
              <Labelled label="Is a">
                <Select
                  label="Is a"
                  value={one.kind}
                  onChange={(kind) => put(at, { kind })}
                  options={Object.entries(KIND_WORDS).map(([value, label]) => ({ value, label }))}
                />
              </Labelled>
              <NumberField
                label="At stock"
                required
                value={one.stock}
                onChange={(stock) => put(at, { stock })}
              />
              <NumberField
                label="Finest step"
                required
                value={one.resolution}
                min={0.000001}
                onChange={(resolution) => put(at, { resolution })}
              />
            </div>
            <div className="grid gap-3 sm:grid-cols-[8rem_8rem_1fr_10rem]">
              <NumberField
                label="Limit, lowest"
                value={one.low}
                error={fault(`settings.${at}.limit_low`)}
                onChange={(low) => put(at, { low })}
              />
              <NumberField
                label="Limit, highest"
                value={one.high}
                error={fault(`settings.${at}.limit_high`)}
                onChange={(high) => put(at, { high })}
              />
              <Field
                label="Where the maker states it"
                maxLength={200}
                value={one.source}
                error={fault(`settings.${at}.limit_source`)}
                onChange={(event) => put(at, { source: event.target.value })}
              />
              <Field
                label="Of which day"
                type="date"
                value={one.day}
                error={fault(`settings.${at}.limit_day`)}
                onChange={(event) => put(at, { day: event.target.value })}
              />
            </div>
            <Labelled label="Harder is">
              <Select
                label="Harder is"
                className="sm:w-72!"
                value={one.harder || "either"}
                onChange={(way) => put(at, { harder: way === "either" ? "" : way })}
                options={Object.entries(WAYS).map(([value, label]) => ({ value: value || "either", label }))}
              />
            </Labelled>
          </fieldset>
        ))}
        <div>
          <Button onClick={() => setDrafts((now) => [...now, EMPTY])}>Another setting</Button>
        </div>
        <div className="grid gap-3 sm:grid-cols-[12rem_1fr]">
          <NumberField label="Proven after, minutes" required min={1} value={minutes} onChange={setMinutes} />
          <Field
            label="If it fails to start: how firmware is reset, by the maker’s manual"
            maxLength={400}
            value={reset}
            onChange={(event) => setReset(event.target.value)}
          />
        </div>
        <RivalPick
          rival={rival}
          name={log?.rival ? `${log.rival.name}, ${log.rival.of}` : ""}
          setRival={setRival}
          error={fault("rival_test_id")}
        />
        {!log && (
          <Tick
            label="On the simulated bench (nothing of it is a result)"
            checked={simulated}
            onChange={setSimulated}
          />
        )}
        <FormEnd
          seen={seen}
          error={save.error}
          leave={() => close()}
          disabled={save.isPending || !part || !setup}
          does={log ? "Keep" : "Begin the log"}
        />
      </form>
    </Dialog>
  );
}
