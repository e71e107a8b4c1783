import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, type KeyboardEvent, useState } from "react";
import { useNavigate } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useParts } from "../../api/queries";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { draftOf, setupOf } from "./SetupEditor";

type Setup = Schemas["SetupOut"];

interface Thing {
  key: string;
  sort: "part" | "setting";
  /** Kind of part, or name of the setting. */
  name: string;
  label: string;
  value: string;
}

const LETTERS = "123456789abcdfghijklmopqrstuvwxyz";

/** The things of a setup, settings first since they are changed most, each with its key. */
export function thingsOf(setup: Setup, kinds: Schemas["KindOut"][]): Thing[] {
  const label = new Map(kinds.map((kind) => [kind.kind, kind.label]));
  const things: Omit<Thing, "key">[] = [
    ...setup.settings.map((one) => ({
      sort: "setting" as const,
      name: one.name,
      label: one.name,
      value: one.value,
    })),
    ...setup.parts.map((one) => ({
      sort: "part" as const,
      name: one.kind,
      label: label.get(one.kind) ?? one.kind,
      value: one.name,
    })),
  ];
  return things.slice(0, LETTERS.length).map((thing, index) => ({ ...thing, key: LETTERS[index] ?? "" }));
}

/** The setup with one thing changed, under a name that says so. */
export function changed(setup: Setup, thing: Thing, value: string, name: string): Schemas["SetupIn"] {
  const draft = setupOf(draftOf(setup));
  if (thing.sort === "setting") {
    const settings = draft.settings.map((one) => (one.name === thing.name ? { ...one, value } : one));
    return { ...draft, name, settings };
  }
  // A kind is swapped as a whole: of several builds the others come along.
  const others = draft.parts.filter((part) => part.kind !== thing.name);
  const own = setup.parts
    .filter((part) => part.kind === thing.name)
    .map((part) => ({ kind: part.kind, name: part.name === thing.value ? value : part.name }));
  return { ...draft, name, parts: [...others, ...own] };
}

/** Two keys to the one thing that changes: `c`, then the thing's own. Then its new value and Enter. */
export function CopyDialog({
  setup,
  kinds,
  close,
}: {
  setup: Setup;
  kinds: Schemas["KindOut"][];
  close: () => void;
}) {
  const queries = useQueryClient();
  const go = useNavigate();
  const { data: parts = [] } = useParts();
  const things = thingsOf(setup, kinds);
  const [thing, setThing] = useState<Thing | null>(null);
  const [value, setValue] = useState("");
  const [name, setName] = useState("");
  const rig = setup.rig || (setup.name.split(",")[0] ?? setup.name);
  const proposed = thing ? `${rig}, ${thing.label.toLowerCase()} ${value}`.trim() : "";
  const save = useMutation({
    mutationFn: (body: Schemas["SetupIn"]) => data(client.POST("/api/setups", { body })),
    onSuccess: async (made) => {
      await Promise.all([
        queries.invalidateQueries({ queryKey: ["setups"] }),
        queries.invalidateQueries({ queryKey: ["parts"] }),
      ]);
      close();
      go(`/bench/setups/${made.id}`);
    },
  });
  const onKeyDown = (event: KeyboardEvent) => {
    const found = things.find((one) => one.key === event.key);
    if (thing || !found || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    setThing(found);
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (thing) save.mutate(changed(setup, thing, value.trim(), name.trim() || proposed));
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={thing ? `${thing.label}: ${thing.value} →` : "Copy, one thing changed"}
      description={thing ? `Everything else stays as in ${setup.name}.` : "Which thing? Press its key."}
    >
      {thing ? (
        <form onSubmit={submit} className="grid gap-3">
          <Field
            label={`New ${thing.label.toLowerCase()}`}
            autoFocus
            required
            maxLength={120}
            {...(thing.sort === "part"
              ? { suggestions: parts.filter((part) => part.kind === thing.name).map((part) => part.name) }
              : {})}
            value={value}
            onChange={(e) => setValue(e.target.value)}
          />
          <Field
            label="Setup name"
            maxLength={120}
            placeholder={proposed}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <FormEnd
            error={save.error}
            leave={() => setThing(null)}
            leaveLabel="Another thing"
            disabled={save.isPending}
            does="Keep the copy"
          />
        </form>
      ) : (
        // biome-ignore lint/a11y/noStaticElementInteractions: the keys stand on the buttons within
        <div onKeyDown={onKeyDown} className="grid gap-0.5">
          {things.map((one, index) => (
            <button
              key={one.key}
              type="button"
              // biome-ignore lint/a11y/noAutofocus: the dialog is opened to press one of these keys
              autoFocus={index === 0}
              onClick={() => setThing(one)}
              className="grid cursor-pointer grid-cols-[2rem_10rem_1fr] items-baseline rounded-[3px] px-1 py-0.5 text-left hover:bg-mark"
            >
              <span>
                <kbd className="key text-[0.85rem]">{one.key}</kbd>
              </span>
              <span className="text-mute">{one.label}</span>
              <span className="font-semibold">{one.value}</span>
            </button>
          ))}
        </div>
      )}
    </Dialog>
  );
}
