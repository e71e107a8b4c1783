import type { Schemas } from "../../api/client";
import { usePartKinds, useParts, useRigs } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field, Labelled } from "../../controls/Field";
import { Select } from "../../controls/Select";

export interface SetupDraft {
  name: string;
  /** The rig it stands on, as text; empty for a setup described part by part. */
  rig: string;
  /** Parts; one that is named here first may bring its price. */
  parts: { key: number; kind: string; name: string; price?: string | null; currency?: string }[];
  settings: { key: number; name: string; value: string }[];
}

export function emptySetup(): SetupDraft {
  return {
    name: "",
    rig: "",
    parts: ["card", "processor", "memory", "driver"].map((kind, key) => ({ key, kind, name: "" })),
    settings: [{ key: 0, name: "", value: "" }],
  };
}

/** The draft as the API takes it; rows left empty are no parts. */
export function setupOf(draft: SetupDraft): Required<Schemas["SetupIn"]> {
  return {
    name: draft.name.trim(),
    rig_id: draft.rig ? Number(draft.rig) : null,
    parts: draft.parts
      .filter((part) => part.name.trim())
      .map(({ kind, name, price, currency }) => ({
        kind,
        name: name.trim(),
        ...(price ? { price, currency: currency ?? "" } : {}),
      })),
    settings: draft.settings
      .filter((setting) => setting.name.trim())
      .map(({ name, value }) => ({ name: name.trim(), value: value.trim() })),
  };
}

type Described = Pick<Schemas["SetupOut"], "name" | "rig_id" | "parts" | "settings">;

/** A setup as a draft: on a rig, only what was swapped is its own. */
export function draftOf(setup: Described): SetupDraft {
  const own = setup.rig_id == null ? setup.parts : setup.parts.filter((part) => part.swapped);
  return {
    name: setup.name,
    rig: setup.rig_id == null ? "" : String(setup.rig_id),
    parts: own.map((part, key) => ({ key, kind: part.kind, name: part.name })),
    settings: setup.settings.map((setting, key) => ({ key, name: setting.name, value: setting.value })),
  };
}

/** All parts of a draft, those of its rig included. */
export function wholeParts(draft: SetupDraft, rigs: Schemas["RigOut"][]): Schemas["PartRef"][] {
  const own = setupOf(draft).parts.map(({ kind, name }) => ({ kind, name }));
  const rig = rigs.find((one) => String(one.id) === draft.rig);
  const swapped = new Set(own.map((part) => part.kind));
  return [...(rig?.parts ?? []).filter((part) => !swapped.has(part.kind)), ...own];
}

export function nextKey(rows: { key: number }[]): number {
  return Math.max(-1, ...rows.map((row) => row.key)) + 1;
}

interface Props {
  draft: SetupDraft;
  change: (draft: SetupDraft) => void;
  /** Whether its name is typed here; elsewhere it stands above. */
  named?: boolean;
}

/** A setup: a rig with settings, or parts by kind and settings by name and value. */
export function SetupEditor({ draft, change, named = true }: Props) {
  const { data: rigs = [] } = useRigs();
  const setSetting = (key: number, part: Partial<SetupDraft["settings"][number]>) =>
    change({
      ...draft,
      settings: draft.settings.map((one) => (one.key === key ? { ...one, ...part } : one)),
    });
  /** The same parts, told otherwise: all of them without a rig, only what differs from it on one. */
  const takeRig = (choice: string) => {
    const rig = choice === "none" ? "" : choice;
    const all = wholeParts(draft, rigs);
    const known = new Set(
      rigs.find((one) => String(one.id) === rig)?.parts?.map((part) => part.kind + part.name),
    );
    const kept = all
      .filter((part) => !known.has(part.kind + part.name))
      .map((part, key) => ({ key, ...part }));
    change({ ...draft, rig, parts: kept.length || rig ? kept : emptySetup().parts });
  };
  return (
    <div className="mt-3 grid gap-3">
      <div className={rigs.length && named ? "grid gap-3 sm:grid-cols-[1fr_13rem]" : ""}>
        {named && (
          <Field
            label="Setup name"
            required
            maxLength={120}
            placeholder="machine, what is special"
            value={draft.name}
            onChange={(e) => change({ ...draft, name: e.target.value })}
          />
        )}
        {rigs.length > 0 && (
          <Labelled label="Stands on">
            <Select
              label="Rig"
              value={draft.rig || "none"}
              onChange={takeRig}
              options={[
                { value: "none", label: "no rig: part by part" },
                ...rigs.map((rig) => ({ value: String(rig.id), label: rig.name })),
              ]}
            />
          </Labelled>
        )}
      </div>
      <PartRows
        title={draft.rig ? "Parts swapped for this setup" : "Parts"}
        rows={draft.parts}
        change={(parts) => change({ ...draft, parts })}
        more={draft.rig ? "Swap a part" : "One more part"}
      />
      <div>
        <p className="label mb-1">Settings</p>
        <div className="grid gap-1.5">
          {draft.settings.map((setting) => (
            <div key={setting.key} className="grid grid-cols-2 gap-1.5">
              <Field
                label="Name of the setting"
                quietLabel
                placeholder="Fan profile"
                value={setting.name}
                onChange={(e) => setSetting(setting.key, { name: e.target.value })}
              />
              <Field
                label={`Value of ${setting.name || "the setting"}`}
                quietLabel
                placeholder="standard"
                required={Boolean(setting.name.trim())}
                value={setting.value}
                onChange={(e) => setSetting(setting.key, { value: e.target.value })}
              />
            </div>
          ))}
        </div>
        <Button
          kind="quiet"
          className="mt-1"
          onClick={() =>
            change({
              ...draft,
              settings: [...draft.settings, { key: nextKey(draft.settings), name: "", value: "" }],
            })
          }
        >
          One more setting
        </Button>
      </div>
    </div>
  );
}

/** Parts by kind and name, as rows to type into. */
export function PartRows({
  title,
  rows,
  change,
  more,
}: {
  title: string;
  rows: SetupDraft["parts"];
  change: (rows: SetupDraft["parts"]) => void;
  more: string;
}) {
  const { data: kinds = [] } = usePartKinds();
  const { data: parts = [] } = useParts();
  const set = (key: number, part: Partial<SetupDraft["parts"][number]>) =>
    change(rows.map((one) => (one.key === key ? { ...one, ...part } : one)));
  return (
    <div>
      <p className="label mb-1">{title}</p>
      <div className="grid gap-1.5">
        {rows.map((row) => (
          <div key={row.key} className="grid grid-cols-[9.5rem_1fr] gap-1.5">
            <Select
              label="Kind of part"
              value={row.kind}
              onChange={(kind) => set(row.key, { kind })}
              options={kinds.map((one) => ({ value: one.kind, label: one.label }))}
            />
            <Field
              label={`Name of the ${row.kind}`}
              quietLabel
              placeholder="not named"
              suggestions={parts.filter((one) => one.kind === row.kind).map((one) => one.name)}
              value={row.name}
              onChange={(e) => set(row.key, { name: e.target.value })}
            />
          </div>
        ))}
      </div>
      <Button
        kind="quiet"
        className="mt-1"
        onClick={() => change([...rows, { key: nextKey(rows), kind: "card", name: "" }])}
      >
        {more}
      </Button>
    </div>
  );
}
