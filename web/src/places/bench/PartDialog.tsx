import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, Problem, type Schemas } from "../../api/client";
import { useHouse, useMay } from "../../api/queries";
import { useWhatPriceChanges } from "../../api/reports";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import { useLater } from "../../controls/useLater";
import { figure, readNumber } from "../../format";
import { WouldSay } from "../reports/WouldSay";

/** What is typed is asked about when the hand pauses. */
const REST_MS = 400;

type Part = Schemas["PartOut"];
type Kind = Schemas["KindOut"];
type Fact = Schemas["FactOut"];

const CAUTION =
  "A stated limit is the maker's. Nothing here ever proposes a value beyond it; the maker's manual and a qualified person decide.";

/** What was typed for a fact, as the API takes it; numbers may have a decimal comma. */
export function factValue(fact: Fact, typed: string | boolean): unknown {
  if (typeof typed === "boolean") return typed || undefined;
  const text = typed.trim();
  if (!text) return undefined;
  if (fact.type !== "number" && fact.type !== "whole") return text;
  const number = readNumber(text) ?? Number.NaN;
  return Number.isFinite(number) ? number : text;
}

function range(fact: Fact): string {
  if (fact.low == null || fact.high == null) return "";
  return `${figure(fact.low)} to ${figure(fact.high)}`;
}

export function PartDialog({
  part,
  kinds,
  first,
  close,
}: {
  part: Part | null;
  kinds: Kind[];
  first: string;
  close: () => void;
}) {
  const queries = useQueryClient();
  const [kind, setKind] = useState(part?.kind ?? first);
  const { data: house } = useHouse();
  const [own, setOwn] = useState({
    name: part?.name ?? "",
    maker: part?.maker ?? "",
    price: part?.price == null ? "" : String(part.price),
    currency: part?.currency || house?.currency || "EUR",
    from: part?.price_from ?? "",
    day: part?.price_day ?? "",
    weight: part?.weight_g == null ? "" : String(part.weight_g),
    notes: part?.notes ?? "",
  });
  const [typed, setTyped] = useState<Record<string, string | boolean>>(
    Object.fromEntries(
      Object.entries(part?.facts ?? {}).map(([name, value]) => [
        name,
        typeof value === "boolean" ? value : String(value),
      ]),
    ),
  );
  const set = (change: Partial<typeof own>) => setOwn((now) => ({ ...now, ...change }));
  const definition = kinds.find((one) => one.kind === kind);
  const facts = definition?.facts ?? [];
  const seen = useSeen(part?.seen);
  const save = useMutation({
    mutationFn: (body: Omit<Schemas["PartEdit"], "seen">) =>
      part
        ? data(
            client.PUT("/api/parts/{part_id}", {
              params: { path: { part_id: part.id } },
              body: { ...body, seen: seen.current },
            }),
          )
        : data(client.POST("/api/parts", { body })),
    onSuccess: async () => {
      close();
      await Promise.all(["parts", "setups"].map((key) => queries.invalidateQueries({ queryKey: [key] })));
    },
  });
  const tester = useMay("tester");
  const price = own.price.trim() ? own.price.trim().replace(",", ".") : null;
  const priced = useLater({ price, currency: price ? own.currency : "" }, REST_MS);
  const known = Number.isFinite(Number(priced.price ?? 0)) && Number(priced.price ?? 0) >= 0;
  const repriced =
    part?.price != null && (Number(priced.price ?? -1) !== part.price || priced.currency !== part.currency);
  const { data: reports = [] } = useWhatPriceChanges(part?.id ?? 0, priced, tester && repriced && known);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const said = facts.map((fact) => [fact.name, factValue(fact, typed[fact.name] ?? "")]);
    save.mutate({
      kind,
      name: own.name,
      maker: own.maker,
      facts: Object.fromEntries(said.filter(([, value]) => value !== undefined)),
      price,
      currency: price ? own.currency : "",
      price_from: own.from,
      price_day: own.day || null,
      weight_g: readNumber(own.weight),
      notes: own.notes,
    });
  };
  const problem = save.error instanceof Problem ? save.error : null;
  const fault = (field: string) => (problem?.field === field ? problem.message : undefined);
  return (
    <Dialog
      open
      wide
      onOpenChange={(now) => !now && close()}
      title={part ? part.name : "New part"}
      {...(part?.used
        ? { description: "A run used it: what is written down stays, what is missing can be added." }
        : {})}
    >
      <form onSubmit={submit} className="grid gap-4">
        <div className="grid gap-3 sm:grid-cols-3">
          <Field
            label="Name"
            autoFocus
            required
            maxLength={120}
            value={own.name}
            error={fault("name")}
            onChange={(e) => set({ name: e.target.value })}
          />
          <Labelled label="Kind">
            <Select
              label="Kind"
              value={kind}
              onChange={setKind}
              options={kinds.map((one) => ({ value: one.kind, label: one.label }))}
            />
          </Labelled>
          <Field label="Maker" value={own.maker} onChange={(e) => set({ maker: e.target.value })} />
        </div>
        <fieldset className="sheet p-4">
          <legend className="label px-1">{definition?.label}: facts that matter</legend>
          <div className="grid gap-x-4 gap-y-3 sm:grid-cols-3 lg:grid-cols-4">
            {facts.map((fact) => (
              <FactField
                key={fact.name}
                fact={fact}
                value={typed[fact.name] ?? ""}
                error={fault(`facts.${fact.name}`)}
                change={(value) => setTyped((now) => ({ ...now, [fact.name]: value }))}
              />
            ))}
          </div>
          {facts.some((fact) => fact.stated_limit) && (
            <p className="mt-3 text-[0.86rem] text-mute">{CAUTION}</p>
          )}
        </fieldset>
        <div className="grid gap-3 sm:grid-cols-[7rem_4.5rem_1fr_9.5rem_7rem]">
          <NumberField
            label="Price"
            value={own.price}
            error={fault("price")}
            onChange={(text) => set({ price: text })}
          />
          <Field
            label="In"
            maxLength={3}
            value={own.currency}
            error={fault("currency")}
            onChange={(e) => set({ currency: e.target.value })}
          />
          <Field
            label="Price from"
            placeholder="shop, list price, second hand"
            value={own.from}
            onChange={(e) => set({ from: e.target.value })}
          />
          <Field
            label="Price of the day"
            type="date"
            value={own.day}
            error={fault("price_day")}
            onChange={(e) => set({ day: e.target.value })}
          />
          <NumberField
            whole
            label="Weight, g"
            value={own.weight}
            error={fault("weight_g")}
            onChange={(text) => set({ weight: text })}
          />
        </div>
        <Field label="Notes" value={own.notes} onChange={(e) => set({ notes: e.target.value })} />
        {repriced && <WouldSay reports={reports} />}
        <FormEnd
          seen={seen}
          error={save.error}
          leave={close}
          disabled={save.isPending}
          does={part ? "Keep" : "Add"}
        />
      </form>
    </Dialog>
  );
}

function FactField({
  fact,
  value,
  error,
  change,
}: {
  fact: Fact;
  value: string | boolean;
  error: string | undefined;
  change: (value: string | boolean) => void;
}) {
  if (fact.type === "flag") {
    return (
      <div className="self-end pb-2">
        <Tick label={fact.label} checked={value === true} onChange={change} />
      </div>
    );
  }
  const label = fact.unit ? `${fact.label}, ${fact.unit}` : fact.label;
  if (fact.type === "choice") {
    return (
      <Labelled label={label}>
        <Select
          label={label}
          value={String(value) || "none"}
          onChange={(next) => change(next === "none" ? "" : next)}
          options={[
            { value: "none", label: "not known" },
            ...fact.choices.map((one) => ({ value: one, label: one })),
          ]}
        />
      </Labelled>
    );
  }
  return (
    <Field
      label={label}
      inputMode={fact.type === "number" ? "decimal" : fact.type === "whole" ? "numeric" : "text"}
      placeholder={fact.type === "date" ? "2026-09-12" : range(fact)}
      value={String(value)}
      error={error}
      onChange={(e) => change(e.target.value)}
    />
  );
}
