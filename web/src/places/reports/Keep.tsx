import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
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
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import type { Study } from "../../model/study";
import { KINDS, KINDS_OF_STUDY, type KindOfStudy } from "./words";

const KEYS = [{ key: "k", does: "keep what is looked at for a report" }];
const NEW = "new";

/** Keeps what is looked at on the shelf of a report, with the way back to it. */
export function Keep({ study, look }: { study: Study; look: Schemas["LookIn"] }) {
  const tester = useMay("tester");
  const [open, setOpen] = useState(false);
  const [kept, setKept] = useState<{ id: number; title: string } | null>(null);
  useHotkeys("k", () => setOpen(true), { enabled: tester && !open, preventDefault: true });
  useKeysOf("For reports", KEYS);
  if (!tester) return null;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <Button kind="quiet" shortcut="k" onClick={() => setOpen(true)}>
        For a report
      </Button>
      {kept && (
        <p role="status" className="text-soft">
          Kept for <Link to={`/reports/${kept.id}`}>{kept.title}</Link>.
        </p>
      )}
      {open && (
        <Choose
          study={study}
          look={look}
          close={(done) => {
            setOpen(false);
            if (done) setKept(done);
          }}
        />
      )}
    </div>
  );
}

function Choose({
  study,
  look,
  close,
}: {
  study: Study;
  look: Schemas["LookIn"];
  close: (kept?: { id: number; title: string }) => void;
}) {
  const { pathname, search } = useLocation();
  const queries = useQueryClient();
  const { data: reports = [] } = useReports();
  const open = reports.filter((one) => one.state !== "withdrawn");
  const own = open.find((one) => one.studies.some((other) => other.id === study.id));
  const [report, setReport] = useState("");
  const [kinds, setKinds] = useState<KindOfStudy[]>(["answer", "picture"]);
  const chosen = report || String(own?.id ?? NEW);
  const keep = useMutation({
    mutationFn: async () => {
      const id = chosen === NEW ? (await acts.begin(study.id)).id : Number(chosen);
      let made: Awaited<ReturnType<typeof acts.keep>> | undefined;
      for (const kind of kinds)
        made = await acts.keep(id, { kind, study_id: study.id, look, way: `${pathname}${search}` });
      return { id, title: made?.title ?? study.question };
    },
    onSuccess: async (done) => {
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
        <fieldset className="grid gap-1.5">
          <legend className="label mb-1">What</legend>
          {KINDS_OF_STUDY.map((kind) => (
            <Tick
              key={kind}
              label={KINDS[kind]}
              checked={kinds.includes(kind)}
              onChange={(on) => setKinds(on ? [...kinds, kind] : kinds.filter((one) => one !== kind))}
            />
          ))}
        </fieldset>
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
        <FormEnd error={keep.error} leave={close} does="Keep" disabled={!kinds.length || keep.isPending} />
      </form>
    </Dialog>
  );
}
