import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, Problem, type Schemas } from "../../api/client";
import { useConditions, useHouse } from "../../api/queries";
import { Choice } from "../../controls/Choice";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { figure, readNumber } from "../../format";

type Reader = Schemas["ReaderOut"];

/** A reader as a form. */
export function ReaderDialog({ reader, close }: { reader: Reader | null; close: () => void }) {
  const queries = useQueryClient();
  const { data: conditions = [] } = useConditions();
  const told = (value: number | null | undefined, usual = "") => (value == null ? usual : figure(value));
  // What a house pays for power, and in which money, holds for a new reader until it is said otherwise.
  const { data: house } = useHouse();
  const kwh = reader ? reader.price_per_kwh : house?.price_per_kwh;
  const [own, setOwn] = useState({
    name: reader?.name ?? "",
    resolution: reader?.resolution ?? "",
    display: told(reader?.display_hz, "60"),
    follows: reader?.variable ? "variable" : "fixed",
    floor: told(reader?.floor_fps, "60"),
    on: reader?.floor_on ?? "average_fps",
    notices: told(reader && reader.notices * 100, "5"),
    hours: told(reader?.hours_a_day, "2"),
    years: told(reader?.years, "4"),
    // To a hundredth of a cent, as power is billed.
    kwh: kwh == null ? "" : String(kwh),
    budget: told(reader?.budget),
    currency: reader?.currency || house?.currency || "EUR",
  });
  const set = (part: Partial<typeof own>) => setOwn((now) => ({ ...now, ...part }));
  const seen = useSeen(reader?.seen);
  const save = useMutation({
    mutationFn: (body: Omit<Schemas["ReaderEdit"], "seen">) =>
      reader
        ? data(
            client.PUT("/api/readers/{reader_id}", {
              params: { path: { reader_id: reader.id } },
              body: { ...body, seen: seen.current },
            }),
          )
        : data(client.POST("/api/readers", { body })),
    onSuccess: async () => {
      close();
      await queries.invalidateQueries({ queryKey: ["readers"] });
      await queries.invalidateQueries({ queryKey: ["study"] });
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const number = (text: string) => readNumber(text) ?? Number.NaN;
    const money = (text: string) => (text.trim() ? text.trim().replace(",", ".") : null);
    const paid = own.kwh.trim() || own.budget.trim();
    save.mutate({
      name: own.name,
      resolution: own.resolution,
      display_hz: number(own.display),
      variable: own.follows === "variable",
      floor_fps: number(own.floor),
      floor_on: own.on === "low_1" ? "low_1" : "average_fps",
      notices: number(own.notices) / 100,
      hours_a_day: number(own.hours),
      years: number(own.years),
      price_per_kwh: money(own.kwh),
      budget: money(own.budget),
      currency: paid ? own.currency : "",
    });
  };
  const problem = save.error instanceof Problem ? save.error : null;
  const field = (label: string, name: keyof typeof own, at: string, more: { min?: number; max?: number }) => (
    <NumberField
      label={label}
      required
      value={own[name]}
      error={problem?.field === at ? problem.message : undefined}
      onChange={(text) => set({ [name]: text })}
      {...more}
    />
  );
  const fault = (at: string) => (problem?.field === at ? problem.message : undefined);
  return (
    <Dialog open wide onOpenChange={(now) => !now && close()} title={reader ? reader.name : "New reader"}>
      <form onSubmit={submit} className="grid gap-4">
        <div className="grid gap-3 sm:grid-cols-[1fr_14rem]">
          <Field
            label="Who"
            autoFocus
            required
            maxLength={80}
            placeholder="A family on the couch"
            value={own.name}
            error={fault("name")}
            onChange={(event) => set({ name: event.target.value })}
          />
          <Field
            label="Plays at"
            placeholder="any resolution"
            suggestions={[...new Set(conditions.map((one) => one.resolution).filter(Boolean))]}
            value={own.resolution}
            error={fault("resolution")}
            onChange={(event) => set({ resolution: event.target.value })}
          />
        </div>
        <div className="grid items-end gap-3 sm:grid-cols-4">
          {field("Display, Hz", "display", "display_hz", { min: 1, max: 1000 })}
          <Labelled label="Refresh">
            <Choice
              label="Refresh"
              value={own.follows}
              onChange={(follows) => set({ follows })}
              options={[
                { value: "fixed", label: "fixed" },
                { value: "variable", label: "variable" },
              ]}
            />
          </Labelled>
          {field("Playable from, fps", "floor", "floor_fps", { min: 1, max: 1000 })}
          <Labelled label="Held on">
            <Choice
              label="Held on"
              value={own.on}
              onChange={(on) => set({ on })}
              options={[
                { value: "average_fps", label: "average" },
                { value: "low_1", label: "1% low" },
              ]}
            />
          </Labelled>
        </div>
        <div className="grid gap-3 sm:grid-cols-3">
          {field("Would notice, %", "notices", "notices", { min: 0.1, max: 99 })}
          {field("Plays, hours a day", "hours", "hours_a_day", { min: 0.1, max: 24 })}
          {field("Keeps a part, years", "years", "years", { min: 0.5, max: 50 })}
        </div>
        <div className="grid gap-3 sm:grid-cols-3">
          <NumberField
            label="Price of a kWh"
            value={own.kwh}
            min={0}
            error={fault("price_per_kwh")}
            onChange={(kwh) => set({ kwh })}
          />
          <NumberField
            label="Budget"
            value={own.budget}
            min={0}
            error={fault("budget")}
            onChange={(budget) => set({ budget })}
          />
          <Field
            label="Money in"
            maxLength={3}
            value={own.currency}
            error={fault("currency")}
            onChange={(event) => set({ currency: event.target.value })}
          />
        </div>
        <FormEnd
          seen={seen}
          error={save.error}
          leave={close}
          disabled={save.isPending}
          does={reader ? "Keep" : "Add"}
        />
      </form>
    </Dialog>
  );
}
