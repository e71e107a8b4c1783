import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, NavLink, useNavigate, useParams } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useMay, usePartKinds, useSetups } from "../../api/queries";
import { useFailedSetups, useOrigins } from "../../api/tuning";
import { Button, buttonLook } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { FilterField } from "../../controls/Filter";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { useKeysOf } from "../../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { Keep, ofTheHouse } from "../reports/Keep";
import { Cautions } from "./Cautions";
import { CopyDialog } from "./CopyDialog";
import { draftOf, emptySetup, type SetupDraft, SetupEditor, setupOf } from "./SetupEditor";

type Setup = Schemas["SetupOut"];

const KEYS = [
  { key: "↑ ↓", does: "the setup before, the setup after" },
  { key: "n", does: "new setup" },
  { key: "c", does: "copy with one thing changed" },
  { key: "e", does: "edit" },
  { key: "s", does: "the sheet, to tick off at the machine" },
];

interface Editing {
  id: number | null;
  seen?: string;
  frozen: boolean;
  draft: SetupDraft;
}

/** All setups by name, and the one that is looked at as a sheet. */
export function Setups() {
  const { data: setups, error } = useSetups();
  const { data: kinds = [] } = usePartKinds();
  const { setup: wanted } = useParams();
  const lead = useMay("lead");
  const go = useNavigate();
  const [filter, setFilter] = useState("");
  const [editing, setEditing] = useState<Editing | null>(null);
  const [copying, setCopying] = useState(false);
  const shown = (setups ?? []).filter((setup) =>
    `${setup.name} ${setup.rig} ${setup.parts.map((part) => part.name).join(" ")}`
      .toLowerCase()
      .includes(filter.toLowerCase()),
  );
  const at = Math.max(
    0,
    shown.findIndex((setup) => String(setup.id) === wanted),
  );
  const one = shown[at];
  const free = !editing && !copying;
  const step = (by: number) => {
    const next = shown[at + by];
    if (next) go(`/bench/setups/${next.id}`);
  };
  const begin = () => setEditing({ id: null, frozen: false, draft: emptySetup() });
  const edit = (setup: Setup) =>
    setEditing({ id: setup.id, seen: setup.seen, frozen: setup.frozen, draft: draftOf(setup) });
  useHotkeys("down", () => step(1), { enabled: free, preventDefault: true });
  useHotkeys("up", () => step(-1), { enabled: free, preventDefault: true });
  useHotkeys("n", begin, { enabled: lead && free, preventDefault: true });
  useHotkeys("e", () => one && edit(one), { enabled: lead && free, preventDefault: true });
  useHotkeys("c", () => one && setCopying(true), { enabled: lead && free, preventDefault: true });
  useHotkeys("s", () => one && go(`/bench/sheet/${one.version_id}`), { enabled: free });
  useKeysOf("Setups", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!setups) return <Loading what="the bench" />;
  if (!setups.length) {
    return (
      <>
        <Empty title="No setup yet.">
          <p>
            Describe the machine as it stands: as a rig of parts with its settings, or part by part. Copy it,
            change one thing, and two lanes are there.
          </p>
          {lead && (
            <p className="mt-4">
              <Button kind="main" shortcut="n" onClick={begin}>
                Describe the first setup
              </Button>
            </p>
          )}
        </Empty>
        {editing && <SetupDialog editing={editing} close={() => setEditing(null)} />}
      </>
    );
  }
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-8 lg:grid-cols-[21rem_minmax(0,1fr)]">
      <section aria-label="Setups">
        <div className="mb-2 flex items-end gap-2">
          <FilterField label="Filter setups" text={filter} setText={setFilter} className="grow" />
          {lead && (
            <Button kind="main" shortcut="n" onClick={begin}>
              New setup
            </Button>
          )}
        </div>
        <ul className="border-rule border-b">
          {shown.map((setup) => (
            <li key={setup.id}>
              <NavLink
                to={`/bench/setups/${setup.id}`}
                className={`plain block border-rule border-t border-l-4 px-3 py-1.5 ${setup === one ? "border-l-ink bg-raised" : "border-l-transparent hover:bg-band"}`}
              >
                <span className="block font-semibold">{setup.name}</span>{" "}
                <span className="block text-[0.86rem] text-mute">
                  version {setup.version}, {setup.frozen ? "used" : "not used yet"}
                </span>
              </NavLink>
            </li>
          ))}
          {!shown.length && <li className="border-rule border-t py-4 text-mute">None matches “{filter}”.</li>}
        </ul>
      </section>
      {one && (
        <SetupView
          setup={one}
          kinds={kinds}
          {...(lead ? { edit: () => edit(one), copy: () => setCopying(true) } : {})}
        />
      )}
      {editing && <SetupDialog editing={editing} close={() => setEditing(null)} />}
      {copying && one && <CopyDialog setup={one} kinds={kinds} close={() => setCopying(false)} />}
    </div>
  );
}

/** Which step of which tuning log a setup is, and where it failed. */
function Tuned({ setup }: { setup: Setup }) {
  const { data: origins = [] } = useOrigins();
  const { data: failed = [] } = useFailedSetups();
  const of = origins.filter((one) => one.version_id === setup.version_id);
  const marks = failed.filter((one) => one.version_id === setup.version_id);
  return (
    <>
      {of.map((one) => (
        <p key={one.words} className="mt-2">
          It is <Link to={one.way}>{one.words}</Link>.
        </p>
      ))}
      {marks.map((one) => (
        <p key={one.words} role="note" className="mt-2 border-accent border-l-4 pl-3">
          It failed: <Link to={one.way}>{one.words}</Link>.
        </p>
      ))}
    </>
  );
}

function SetupView({
  setup,
  kinds,
  edit,
  copy,
}: {
  setup: Setup;
  kinds: Schemas["KindOut"][];
  edit?: () => void;
  copy?: () => void;
}) {
  const label = new Map(kinds.map((kind) => [kind.kind, kind.label]));
  return (
    <article className="sheet self-start p-5">
      <div className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h2 className="text-xl leading-tight font-bold">{setup.name}</h2>
          <p className="text-[0.9rem] text-mute">
            version {setup.version}, {setup.frozen ? "used: editing makes the next version" : "not used yet"}
            {setup.rig && ` · on the rig ${setup.rig}`}
          </p>
        </div>
        <div className="flex flex-wrap justify-end gap-2">
          <Keep
            offer={() =>
              ofTheHouse(setup.name, [
                {
                  kind: "setup",
                  label: `This setup, version ${setup.version}`,
                  look: { setup: setup.version_id },
                },
              ])
            }
          />
          <a href={`/bench/sheet/${setup.version_id}`} className={buttonLook()}>
            Sheet
            <span className="key" aria-hidden="true">
              {" "}
              s
            </span>
          </a>
          {edit && copy && (
            <>
              <Button shortcut="e" onClick={edit}>
                Edit
              </Button>
              <Button kind="main" shortcut="c" onClick={copy}>
                Copy, one thing changed
              </Button>
            </>
          )}
        </div>
      </div>
      <Tuned setup={setup} />
      <Cautions words={setup.cautions} />
      <table className="mt-4 w-full border-collapse text-[0.95rem]">
        <caption className="sr-only">Parts and settings of {setup.name}</caption>
        <tbody>
          {setup.settings.map((setting) => (
            <tr key={setting.name} className="border-rule border-t">
              <th scope="row" className="py-1 pr-4 text-mute">
                {setting.name}
              </th>
              <td colSpan={2} className="py-1 font-semibold">
                {setting.value}
              </td>
            </tr>
          ))}
          {setup.parts.map((part) => (
            <tr key={part.id} className="border-rule border-t">
              <th scope="row" className="w-[11rem] py-1 pr-4 text-mute">
                {label.get(part.kind) ?? part.kind}
              </th>
              <td className="w-[15rem] py-1 pr-4 font-semibold">
                {part.name}{" "}
                {part.swapped && (
                  <span className="ml-2 rounded-[3px] bg-mark px-1.5 text-[0.8rem] font-semibold">
                    swapped
                  </span>
                )}
              </td>
              <td className="py-1 text-soft">{part.summary}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </article>
  );
}

function SetupDialog({ editing, close }: { editing: Editing; close: () => void }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const [draft, setDraft] = useState(editing.draft);
  const seen = useSeen(editing.seen);
  const save = useMutation({
    mutationFn: (body: Omit<Schemas["SetupEdit"], "seen">) =>
      editing.id === null
        ? data(client.POST("/api/setups", { body }))
        : data(
            client.PUT("/api/setups/{setup_id}", {
              params: { path: { setup_id: editing.id } },
              body: { ...body, seen: seen.current },
            }),
          ),
    onSuccess: async (setup) => {
      await Promise.all([
        queries.invalidateQueries({ queryKey: ["setups"] }),
        queries.invalidateQueries({ queryKey: ["parts"] }),
      ]);
      close();
      go(`/bench/setups/${setup.id}`);
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
          <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Keep" />
        </div>
      </form>
    </Dialog>
  );
}
