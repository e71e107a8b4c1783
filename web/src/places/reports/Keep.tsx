import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useLocation } from "react-router";
import type { Schemas } from "../../api/client";
import { useMay } from "../../api/queries";
import { acts, useReports } from "../../api/reports";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { useKeysOf } from "../../controls/Keys";
import { Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import type { Study } from "../../model/study";
import { KINDS, KINDS_OF_STUDY, type KindKept } from "./words";

const NEW = "new";
/** For which report something was kept last: what belongs to no study is most likely for the same. */
let lastKeptFor: number | null = null;
const NO_KEYS: { key: string; does: string }[] = [];

/** What can be kept of what is looked at: some of several things, each by its name. */
export interface Offer {
  legend: string;
  options: readonly { key: string; label: string }[];
  first: readonly string[];
  /** At most so many of them. */
  most?: number;
  /** The blocks that come of what is ticked. */
  blocks: (ticked: string[]) => { kind: KindKept; look: Schemas["LookIn"] }[];
  /** What a new report is called at first, where it is of no study. */
  title?: string;
}

/** What of an answer is kept: its sentence, its picture and what else every study has. */
export const anAnswer = (look: Schemas["LookIn"]): Offer => ({
  legend: "What",
  options: KINDS_OF_STUDY.map((kind) => ({ key: kind, label: KINDS[kind] })),
  first: ["answer", "picture"],
  blocks: (ticked) => KINDS_OF_STUDY.filter((kind) => ticked.includes(kind)).map((kind) => ({ kind, look })),
});

/** What the house keeps beside its studies. */
export const ofTheHouse = (
  title: string,
  things: readonly { kind: KindKept; label: string; look: Partial<Schemas["LookIn"]> }[],
): Offer => ({
  legend: "What",
  title,
  options: things.map(({ label }) => ({ key: label, label })),
  first: things.map(({ label }) => label),
  blocks: (ticked) =>
    things
      .filter(({ label }) => ticked.includes(label))
      .map(({ kind, look }) => ({ kind, look: { own: false, figure: "", targets: [], ...look } })),
});

/** Keeps what is looked at on the shelf of a report, with the way back to it. */
export function Keep({
  study,
  offer,
  shortcut = "k",
  enabled = true,
  name,
}: {
  /** Whose it is; of none where the house keeps it beside its studies. */
  study?: Study;
  /** Asked when somebody keeps something. */
  offer: () => Offer;
  shortcut?: string;
  /** Whether its key acts here. */
  enabled?: boolean;
  /** What its button is called where there are several: then it has no key of its own. */
  name?: string;
}) {
  const keyed = name === undefined;
  const tester = useMay("tester");
  const [open, setOpen] = useState<Offer | null>(null);
  const [kept, setKept] = useState<{ id: number; title: string } | null>(null);
  const keys = useMemo(() => [{ key: shortcut, does: "keep what is looked at for a report" }], [shortcut]);
  useHotkeys(
    shortcut === shortcut.toLowerCase() ? shortcut : `shift+${shortcut.toLowerCase()}`,
    () => setOpen(offer()),
    { enabled: keyed && tester && enabled && !open, preventDefault: true },
  );
  useKeysOf("For reports", keyed ? keys : NO_KEYS);
  if (!tester) return null;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <Button
        kind="quiet"
        {...(keyed ? { shortcut } : { "aria-label": name })}
        onClick={() => setOpen(offer())}
      >
        For a report
      </Button>
      {kept && (
        <p role="status" className="text-soft">
          Kept for <Link to={`/reports/${kept.id}`}>{kept.title}</Link>.
        </p>
      )}
      {open && (
        <Choose
          study={study ?? null}
          offer={open}
          close={(done) => {
            setOpen(null);
            if (done) setKept(done);
          }}
        />
      )}
    </div>
  );
}

function Choose({
  study,
  offer,
  close,
}: {
  study: Study | null;
  offer: Offer;
  close: (kept?: { id: number; title: string }) => void;
}) {
  const { pathname, search } = useLocation();
  const queries = useQueryClient();
  const { data: reports, error } = useReports();
  const open = (reports ?? []).filter((one) => one.state !== "withdrawn");
  const own = open.find((one) => one.studies.some((other) => other.id === study?.id));
  const [report, setReport] = useState("");
  const [ticked, setTicked] = useState<readonly string[]>(offer.first);
  const many = offer.most !== undefined && ticked.length > offer.most;
  const last = open.find((one) => one.id === lastKeptFor);
  const chosen = report || String(own?.id ?? (study ? NEW : (last?.id ?? NEW)));
  const keep = useMutation({
    mutationFn: async () => {
      const id = chosen === NEW ? (await acts.begin(study?.id ?? null, offer.title)).id : Number(chosen);
      let made: Awaited<ReturnType<typeof acts.keep>> | undefined;
      for (const block of offer.blocks([...ticked]))
        made = await acts.keep(id, { ...block, study_id: study?.id ?? null, way: `${pathname}${search}` });
      return { id, title: made?.title ?? "" };
    },
    onSuccess: async (done) => {
      lastKeptFor = done.id;
      await queries.invalidateQueries({ queryKey: ["reports"] });
      await queries.invalidateQueries({ queryKey: ["report", done.id] });
      close(done);
    },
  });
  return (
    <Dialog open onOpenChange={(now) => !now && close()} title="Keep for a report">
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate();
        }}
      >
        <fieldset className="-m-1 grid max-h-72 gap-1.5 overflow-auto p-1">
          <legend className="label mb-1">{offer.legend}</legend>
          {offer.options.map(({ key, label }) => (
            <Tick
              key={key}
              label={label}
              checked={ticked.includes(key)}
              onChange={(on) => setTicked(on ? [...ticked, key] : ticked.filter((one) => one !== key))}
            />
          ))}
          {many && <p className="text-accent">At most {offer.most}.</p>}
        </fieldset>
        {reports ? (
          <Labelled label="On the shelf of">
            <Select
              label="On the shelf of"
              value={chosen}
              onChange={setReport}
              options={[
                ...open.map((one) => ({ value: String(one.id), label: one.title })),
                { value: NEW, label: "A new report" },
              ]}
            />
          </Labelled>
        ) : (
          // What is chosen before all of them are there would be another choice once they are.
          !error && <Loading what="the reports" />
        )}
        <FormEnd
          error={keep.error ?? error}
          leave={close}
          does="Keep"
          disabled={!reports || !ticked.length || many || keep.isPending}
        />
      </form>
    </Dialog>
  );
}
