import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { client, data, type Schemas } from "../../api/client";
import { useMay, usePartKinds, useRigs, useSetups } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { useKeysOf } from "../../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { count } from "../../format";
import { emptySetup, PartRows, type SetupDraft } from "./SetupEditor";

type Rig = Schemas["RigOut"];

const KEYS = [{ key: "n", does: "new rig" }];

/** Machines built of parts. */
export function Rigs() {
  const { data: rigs, error } = useRigs();
  const { data: kinds = [] } = usePartKinds();
  const lead = useMay("lead");
  const [editing, setEditing] = useState<Rig | "new" | null>(null);
  useHotkeys("n", () => setEditing("new"), { enabled: lead && !editing, preventDefault: true });
  useKeysOf("Rigs", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!rigs) return <Loading what="the rigs" />;
  const label = new Map(kinds.map((kind) => [kind.kind, kind.label]));
  return (
    <>
      <div className="mb-4 flex items-end justify-between gap-4">
        <p className="max-w-2xl text-soft">
          A rig is a machine. Swap a part here and every setup that stands on it follows; setups that a run
          used follow as their next version.
        </p>
        {lead && (
          <Button kind="main" shortcut="n" onClick={() => setEditing("new")}>
            New rig
          </Button>
        )}
      </div>
      {rigs.length === 0 && (
        <Empty title="No rig yet.">
          <p>Name a machine and its parts once; setups then only say what they tell it.</p>
        </Empty>
      )}
      <div className="grid gap-5 md:grid-cols-2">
        {rigs.map((rig) => (
          <article key={rig.id} className="sheet p-5">
            <div className="mb-2 flex items-start justify-between gap-3">
              <div>
                <h2 className="text-xl leading-tight font-bold">{rig.name}</h2>
                <p className="text-[0.9rem] text-mute">
                  {count(rig.parts?.length ?? 0, "part")}, {count(rig.setups, "setup")} on it
                </p>
              </div>
              {lead && (
                <Button onClick={() => setEditing(rig)} aria-label={`Rebuild ${rig.name}`}>
                  Rebuild
                </Button>
              )}
            </div>
            <dl className="grid grid-cols-[9.5rem_1fr] gap-y-0.5 text-[0.93rem]">
              {rig.parts?.map((part) => (
                <div key={part.kind + part.name} className="contents">
                  <dt className="text-mute">{label.get(part.kind) ?? part.kind}</dt>
                  <dd>{part.name}</dd>
                </div>
              ))}
            </dl>
          </article>
        ))}
      </div>
      {editing && <RigDialog rig={editing === "new" ? null : editing} close={() => setEditing(null)} />}
    </>
  );
}

function RigDialog({ rig, close }: { rig: Rig | null; close: () => void }) {
  const queries = useQueryClient();
  const { data: setups = [] } = useSetups();
  const [name, setName] = useState(rig?.name ?? "");
  const [rows, setRows] = useState<SetupDraft["parts"]>(
    rig ? (rig.parts ?? []).map((part, key) => ({ key, ...part })) : emptySetup().parts,
  );
  const seen = useSeen(rig?.seen);
  const save = useMutation({
    mutationFn: (body: Omit<Schemas["RigEdit"], "seen">) =>
      rig
        ? data(
            client.PUT("/api/rigs/{rig_id}", {
              params: { path: { rig_id: rig.id } },
              body: { ...body, seen: seen.current },
            }),
          )
        : data(client.POST("/api/rigs", { body })),
    onSuccess: async () => {
      close();
      await Promise.all(
        ["rigs", "setups", "parts"].map((key) => queries.invalidateQueries({ queryKey: [key] })),
      );
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const parts = rows
      .filter((row) => row.name.trim())
      .map((row) => ({ kind: row.kind, name: row.name.trim() }));
    save.mutate({ name: name.trim(), parts, notes: rig?.notes ?? "" });
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={rig ? `Rebuild ${rig.name}` : "New rig"}
      {...(rig?.setups ? { description: `${count(rig.setups, "setup")} on it will follow.` } : {})}
    >
      <form onSubmit={submit} className="grid gap-3">
        <Field
          label="Rig name"
          autoFocus
          required
          maxLength={120}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        {!rig && setups.length > 0 && (
          <Labelled label="Take the parts of">
            <Select
              label="Take the parts of a setup"
              value=""
              placeholder="a setup, to begin with"
              onChange={(id) => {
                const parts = setups.find((one) => String(one.id) === id)?.parts ?? [];
                setRows(parts.map((part, key) => ({ key, kind: part.kind, name: part.name })));
              }}
              options={setups.map((one) => ({ value: String(one.id), label: one.name }))}
            />
          </Labelled>
        )}
        <PartRows title="Parts" rows={rows} change={setRows} more="One more part" />
        <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
