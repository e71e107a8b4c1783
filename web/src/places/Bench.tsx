import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { client, data, type Schemas } from "../api/client";
import { useMay, usePartKinds, useParts, useSetups } from "../api/queries";
import { Button } from "../controls/Button";
import { Dialog } from "../controls/Dialog";
import { Field, Labelled } from "../controls/Field";
import { FormEnd } from "../controls/FormEnd";
import { useKeysOf } from "../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../controls/Notice";
import { PlaceHead } from "../controls/PlaceHead";
import { Select } from "../controls/Select";
import { count } from "../format";
import { emptySetup, type SetupDraft, SetupEditor, setupOf } from "./SetupEditor";

type Setup = Schemas["SetupOut"];

const KEYS = [
  { key: "n", does: "new setup" },
  { key: "t", does: "new part" },
];

interface Editing {
  id: number | null;
  frozen: boolean;
  draft: SetupDraft;
}

/** Setups as sheets one can check against the machine, and the parts they are made of. */
export default function Bench() {
  const { data: setups, error } = useSetups();
  const { data: parts } = useParts();
  const { data: kinds = [] } = usePartKinds();
  const lead = useMay("lead");
  const [filter, setFilter] = useState("");
  const [editing, setEditing] = useState<Editing | null>(null);
  const [addingPart, setAddingPart] = useState(false);
  const begin = () => setEditing({ id: null, frozen: false, draft: emptySetup() });
  useHotkeys("n", begin, { enabled: lead && !editing && !addingPart, preventDefault: true });
  useHotkeys("t", () => setAddingPart(true), {
    enabled: lead && !editing && !addingPart,
    preventDefault: true,
  });
  useKeysOf("Bench", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!setups || !parts) return <Loading what="the bench" />;
  const has = (text: string) => text.toLowerCase().includes(filter.toLowerCase());
  const shown = setups.filter((setup) =>
    has(`${setup.name} ${setup.parts.map((part) => part.name).join(" ")}`),
  );
  const label = new Map(kinds.map((kind) => [kind.kind, kind.label]));
  return (
    <>
      <PlaceHead
        title="Bench"
        says="A setup is everything that must be known to repeat a run. What a run used never changes."
        filters="Filter setups and parts"
        filter={filter}
        setFilter={setFilter}
      >
        {lead && (
          <>
            <Button shortcut="t" onClick={() => setAddingPart(true)}>
              New part
            </Button>
            <Button kind="main" shortcut="n" onClick={begin}>
              New setup
            </Button>
          </>
        )}
      </PlaceHead>
      {setups.length === 0 ? (
        <Empty title="No setup yet.">
          <p>Describe the machine as it stands: its parts by kind, its settings by name and value.</p>
        </Empty>
      ) : (
        <div className="grid gap-5 md:grid-cols-2 xl:grid-cols-3">
          {shown.map((setup) => (
            <Sheet
              key={setup.id}
              setup={setup}
              label={label}
              {...(lead
                ? {
                    edit: () => setEditing({ id: setup.id, frozen: setup.frozen, draft: draftOf(setup) }),
                    copy: () =>
                      setEditing({
                        id: null,
                        frozen: false,
                        draft: { ...draftOf(setup), name: `${setup.name}, copy` },
                      }),
                  }
                : {})}
            />
          ))}
        </div>
      )}
      <section className="mt-10">
        <h2 className="mb-2 text-xl font-bold">{count(parts.length, "part")}</h2>
        <ul className="columns-1 gap-x-10 md:columns-2 xl:columns-3">
          {parts
            .filter((part) => has(`${part.name} ${label.get(part.kind)}`))
            .map((part) => (
              <li
                key={part.id}
                className="grid break-inside-avoid grid-cols-[9rem_1fr_auto] gap-2 border-rule border-b py-1"
              >
                <span className="text-mute">{label.get(part.kind)}</span>
                <span className="font-semibold">{part.name}</span>
                <span className="text-[0.86rem] text-mute">
                  {part.setups ? `in ${count(part.setups, "setup")}` : "in none"}
                </span>
              </li>
            ))}
        </ul>
      </section>
      {editing && <SetupDialog editing={editing} close={() => setEditing(null)} />}
      <PartDialog open={addingPart} close={() => setAddingPart(false)} kinds={kinds} />
    </>
  );
}

function Sheet({
  setup,
  label,
  edit,
  copy,
}: {
  setup: Setup;
  label: Map<string, string>;
  edit?: () => void;
  copy?: () => void;
}) {
  return (
    <article className="sheet flex flex-col p-4">
      <h2 className="text-lg leading-tight font-bold">{setup.name}</h2>
      <p className="mb-2 text-[0.86rem] text-mute">
        version {setup.version}, {setup.frozen ? "used: editing makes the next version" : "not used yet"}
      </p>
      <dl className="mb-3 grid grid-cols-[8rem_1fr] gap-y-0.5 text-[0.93rem]">
        {setup.parts.map((part) => (
          <div key={part.kind + part.name} className="contents">
            <dt className="text-mute">{label.get(part.kind) ?? part.kind}</dt>
            <dd>{part.name}</dd>
          </div>
        ))}
        {setup.settings.map((setting) => (
          <div key={setting.name} className="contents">
            <dt className="text-mute">{setting.name}</dt>
            <dd className="font-semibold">{setting.value}</dd>
          </div>
        ))}
      </dl>
      {edit && copy && (
        <div className="mt-auto flex gap-2">
          <Button onClick={edit} aria-label={`Edit ${setup.name}`}>
            Edit
          </Button>
          <Button onClick={copy} aria-label={`Copy ${setup.name}`}>
            Copy
          </Button>
        </div>
      )}
    </article>
  );
}

function draftOf(setup: Setup): SetupDraft {
  return {
    name: setup.name,
    parts: setup.parts.map((part, key) => ({ key, kind: part.kind, name: part.name })),
    settings: setup.settings.map((setting, key) => ({ key, name: setting.name, value: setting.value })),
  };
}

function SetupDialog({ editing, close }: { editing: Editing; close: () => void }) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState(editing.draft);
  const save = useMutation({
    mutationFn: (body: Schemas["SetupIn"]) =>
      editing.id === null
        ? data(client.POST("/api/setups", { body }))
        : data(client.PUT("/api/setups/{setup_id}", { params: { path: { setup_id: editing.id } }, body })),
    onSuccess: async () => {
      await Promise.all([
        queries.invalidateQueries({ queryKey: ["setups"] }),
        queries.invalidateQueries({ queryKey: ["parts"] }),
      ]);
      close();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(setupOf(draft));
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={editing.id === null ? "New setup" : "Edit the setup"}
      {...(editing.frozen
        ? { description: "A run used this version: what you change here becomes the next one." }
        : {})}
    >
      <form onSubmit={submit}>
        <SetupEditor draft={draft} change={setDraft} />
        <div className="mt-4 grid gap-3">
          <FormEnd error={save.error} leave={close} disabled={save.isPending} does="Keep" />
        </div>
      </form>
    </Dialog>
  );
}

function PartDialog({
  open,
  close,
  kinds,
}: {
  open: boolean;
  close: () => void;
  kinds: Schemas["KindOut"][];
}) {
  const queries = useQueryClient();
  const [kind, setKind] = useState("card");
  const [name, setName] = useState("");
  const save = useMutation({
    mutationFn: (body: Schemas["PartIn"]) => data(client.POST("/api/parts", { body })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["parts"] });
      setName("");
      close();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate({ kind, name, notes: "" });
  };
  return (
    <Dialog open={open} onOpenChange={(now) => !now && close()} title="New part">
      <form onSubmit={submit} className="grid gap-4">
        <Field
          label="Name"
          autoFocus
          required
          maxLength={120}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Labelled label="Kind">
          <Select
            label="Kind"
            value={kind}
            onChange={setKind}
            options={kinds.map((k) => ({ value: k.kind, label: k.label }))}
          />
        </Labelled>
        <FormEnd error={save.error} leave={close} disabled={save.isPending} does="Add" />
      </form>
    </Dialog>
  );
}
