import { type FormEvent, useRef, useState } from "react";
import { client, data, type Schemas, upload } from "../../api/client";
import { useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { count, readNumber } from "../../format";
import type { Study } from "../../model/study";

const NUMBERS = [
  ["average_fps", "Average, fps"],
  ["minimum_fps", "Minimum, fps"],
  ["low_1_fps", "1% low, fps"],
  ["low_01_fps", "0.1% low, fps"],
  ["score", "Score"],
] as const;

type Draft = Record<(typeof NUMBERS)[number][0] | "read_from", string>;

const EMPTY: Draft = {
  average_fps: "",
  minimum_fps: "",
  low_1_fps: "",
  low_01_fps: "",
  score: "",
  read_from: "",
};

/** A result that exists only as numbers, typed in for one pass. */
export function ReportedDialog({
  study,
  one,
  open,
  close,
}: {
  study: Study;
  one: Schemas["PassOut"];
  open: boolean;
  close: () => void;
}) {
  const [draft, setDraft] = useState(EMPTY);
  const keep = useStudyChange(study.id, (body: Schemas["ReportedIn"]) =>
    data(client.POST("/api/passes/{pass_id}/reported", { params: { path: { pass_id: one.id } }, body })),
  );
  const said = NUMBERS.some(([name]) => draft[name].trim());
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const numbers = Object.fromEntries(NUMBERS.map(([name]) => [name, readNumber(draft[name])]));
    keep.mutate({ ...numbers, read_from: draft.read_from } as Schemas["ReportedIn"], {
      onSuccess: () => {
        setDraft(EMPTY);
        close();
      },
    });
  };
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title="A result without frames"
      description="What the game itself reports, or what was read off elsewhere. It is compared with its like only: no measured low is ever set beside it."
    >
      <form onSubmit={submit} className="grid gap-4">
        <div className="grid grid-cols-2 gap-4">
          {NUMBERS.map(([name, label]) => (
            <NumberField
              key={name}
              label={label}
              value={draft[name]}
              onChange={(text) => setDraft({ ...draft, [name]: text })}
            />
          ))}
        </div>
        <Field
          label="Read from"
          required
          maxLength={200}
          placeholder="the game’s result page"
          value={draft.read_from}
          onChange={(e) => setDraft({ ...draft, read_from: e.target.value })}
        />
        <FormEnd error={keep.error} leave={close} disabled={!said || keep.isPending} does="Record it" />
      </form>
    </Dialog>
  );
}

/** Results without frames from a table: all rows or none. */
export function ReportedTable({ study }: { study: Study }) {
  const [open, setOpen] = useState(false);
  const [done, setDone] = useState<Schemas["Recorded"] | null>(null);
  const [sent, setSent] = useState<{ name: string; share: number } | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const take = useStudyChange(study.id, async (file: File) => {
    setDone(null);
    setSent({ name: file.name, share: 0 });
    const answer = await upload(`/api/studies/${study.id}/reported`, file, (share) =>
      setSent({ name: file.name, share }),
    );
    setDone(answer as Schemas["Recorded"]);
  });
  return (
    <>
      <Button
        onClick={() => {
          setDone(null);
          take.reset();
          setOpen(true);
        }}
      >
        Results without frames
      </Button>
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title="Results without frames"
        description="A table in CSV, one row a pass: what games report themselves, or what was read off elsewhere. Either all rows are taken or none."
      >
        <div className="grid gap-4">
          <p className="text-[0.93rem] text-soft">
            Columns: <span className="figure text-[0.84rem]">lane, game</span>, then as far as they are needed{" "}
            <span className="figure text-[0.84rem]">
              scene, condition, pass, average_fps, minimum_fps, low_1_fps, low_01_fps, score, read_from
            </span>
            . Decimal comma or point. One result is typed in with the pass itself.
          </p>
          <input
            ref={input}
            type="file"
            accept=".csv,text/csv"
            aria-label="Table of results"
            className="sr-only"
            tabIndex={-1}
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) take.mutate(file);
              event.target.value = "";
            }}
          />
          {take.isPending && sent && (
            <div role="status">
              <p>
                {sent.share < 1
                  ? `Sending “${sent.name}” … ${Math.round(sent.share * 100)}%`
                  : `“${sent.name}” is here; its rows are being read and recorded …`}
              </p>
              <progress
                className="h-2 w-full"
                aria-label="How far the table has come"
                {...(sent.share < 1 ? { value: sent.share } : {})}
              />
            </div>
          )}
          {done && (
            <div role="status" className="border-l-4 border-ink bg-raised px-4 py-2">
              <p className="font-semibold">
                {count(done.recorded, "pass", "passes")} recorded out of “{sent?.name}”, in{" "}
                {count(done.tests, "test")}.
              </p>
              <ul>
                {done.lanes.map((one) => (
                  <li key={one.lane}>
                    {one.lane}: {count(one.passes, "pass", "passes")}
                  </li>
                ))}
              </ul>
            </div>
          )}
          <ErrorNotice error={take.error} />
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Close</Button>
            <Button kind="main" disabled={take.isPending} onClick={() => input.current?.click()}>
              Choose a table
            </Button>
          </div>
        </div>
      </Dialog>
    </>
  );
}
