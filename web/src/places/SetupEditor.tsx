import type { Schemas } from "../api/client";
import { usePartKinds, useParts } from "../api/queries";
import { Button } from "../controls/Button";
import { Field } from "../controls/Field";
import { Select } from "../controls/Select";

export interface SetupDraft {
  name: string;
  parts: { key: number; kind: string; name: string }[];
  settings: { key: number; name: string; value: string }[];
}

export function emptySetup(): SetupDraft {
  return {
    name: "",
    parts: ["card", "processor", "memory", "driver"].map((kind, key) => ({ key, kind, name: "" })),
    settings: [{ key: 0, name: "", value: "" }],
  };
}

/** The draft as the API takes it; rows left empty are no parts. */
export function setupOf(draft: SetupDraft): Required<Schemas["SetupIn"]> {
  return {
    name: draft.name.trim(),
    parts: draft.parts
      .filter((part) => part.name.trim())
      .map(({ kind, name }) => ({ kind, name: name.trim() })),
    settings: draft.settings
      .filter((setting) => setting.name.trim())
      .map(({ name, value }) => ({ name: name.trim(), value: value.trim() })),
  };
}

interface Props {
  draft: SetupDraft;
  change: (draft: SetupDraft) => void;
  /** Stands in for a name that was not typed. */
  defaultName?: string;
}

/** A setup: parts by kind, settings by name and value. */
export function SetupEditor({ draft, change, defaultName }: Props) {
  const { data: kinds = [] } = usePartKinds();
  const { data: parts = [] } = useParts();
  const next = (rows: { key: number }[]) => Math.max(-1, ...rows.map((row) => row.key)) + 1;
  const setPart = (key: number, part: Partial<SetupDraft["parts"][number]>) =>
    change({ ...draft, parts: draft.parts.map((one) => (one.key === key ? { ...one, ...part } : one)) });
  const setSetting = (key: number, part: Partial<SetupDraft["settings"][number]>) =>
    change({
      ...draft,
      settings: draft.settings.map((one) => (one.key === key ? { ...one, ...part } : one)),
    });
  return (
    <div className="mt-3 grid gap-3">
      <Field
        label="Setup name"
        required
        maxLength={120}
        placeholder={defaultName ? `machine, ${defaultName}` : "machine and what is special about it"}
        value={draft.name}
        onChange={(e) => change({ ...draft, name: e.target.value })}
      />
      <div>
        <p className="label mb-1">Parts</p>
        <div className="grid gap-1.5">
          {draft.parts.map((part) => (
            <div key={part.key} className="grid grid-cols-[9.5rem_1fr] gap-1.5">
              <Select
                label="Kind of part"
                value={part.kind}
                onChange={(kind) => setPart(part.key, { kind })}
                options={kinds.map((one) => ({ value: one.kind, label: one.label }))}
              />
              <Field
                label={`Name of the ${part.kind}`}
                quietLabel
                placeholder="not named"
                suggestions={parts.filter((one) => one.kind === part.kind).map((one) => one.name)}
                value={part.name}
                onChange={(e) => setPart(part.key, { name: e.target.value })}
              />
            </div>
          ))}
        </div>
        <Button
          kind="quiet"
          className="mt-1"
          onClick={() =>
            change({ ...draft, parts: [...draft.parts, { key: next(draft.parts), kind: "board", name: "" }] })
          }
        >
          One more part
        </Button>
      </div>
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
              settings: [...draft.settings, { key: next(draft.settings), name: "", value: "" }],
            })
          }
        >
          One more setting
        </Button>
      </div>
    </div>
  );
}
