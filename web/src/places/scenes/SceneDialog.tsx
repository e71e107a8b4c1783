import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import { readNumber } from "../../format";

const LEANS = ["processor", "card", "memory", "link", "drive"] as const;
type Leans = (typeof LEANS)[number];

export function SceneDialog({
  scene,
  kinds,
  games,
  close,
}: {
  scene: Schemas["SceneOut"] | null;
  kinds: Schemas["SceneKindOut"][];
  games: string[];
  close: () => void;
}) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState({
    game: scene?.game ?? "",
    name: scene?.name ?? "",
    kind: scene?.kind ?? "route",
    length: String(scene?.length_s ?? 60),
    start: scene?.start ?? "",
    route: scene?.route ?? "",
    end: scene?.end ?? "",
    warmUps: String(scene?.warm_up_runs ?? 1),
    warm_up: scene?.warm_up ?? "",
    leans_on: (scene?.leans_on ?? []) as Leans[],
  });
  const set = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const seen = useSeen(scene?.seen);
  const save = useMutation({
    mutationFn: (body: Omit<Schemas["SceneEdit"], "seen">) =>
      scene
        ? data(
            client.PUT("/api/scenes/{scene_id}", {
              params: { path: { scene_id: scene.id } },
              body: { ...body, seen: seen.current },
            }),
          )
        : data(client.POST("/api/scenes", { body })),
    onSuccess: async () => {
      await Promise.all(["games", "scenes"].map((key) => queries.invalidateQueries({ queryKey: [key] })));
      close();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const { length, warmUps, ...rest } = draft;
    save.mutate({ ...rest, length_s: readNumber(length) ?? 0, warm_up_runs: readNumber(warmUps) ?? 0 });
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={scene ? "Edit the scene" : "New scene"}
      {...(scene?.used
        ? {
            description: `Passes of it were run: what you change becomes version ${scene.version + 1}, and tests without a pass go on to it.`,
          }
        : {})}
    >
      <form onSubmit={submit} className="grid gap-3">
        <div className="grid grid-cols-2 gap-3">
          <Field
            label="Game"
            autoFocus
            required
            suggestions={games}
            value={draft.game}
            onChange={(e) => set({ game: e.target.value })}
          />
          <Field label="Scene" required value={draft.name} onChange={(e) => set({ name: e.target.value })} />
          <Labelled label="Kind">
            <Select
              label="Kind"
              value={draft.kind}
              onChange={(kind) => set({ kind })}
              options={kinds.map((k) => ({ value: k.kind, label: k.label }))}
            />
          </Labelled>
          <NumberField
            whole
            label="Length, s"
            required
            value={draft.length}
            onChange={(text) => set({ length: text })}
          />
        </div>
        <Field
          label="Start"
          placeholder="save, weather, time of day"
          value={draft.start}
          onChange={(e) => set({ start: e.target.value })}
        />
        <Field
          label="Route"
          placeholder="what is done"
          value={draft.route}
          onChange={(e) => set({ route: e.target.value })}
        />
        <Field
          label="End"
          placeholder="where it ends"
          value={draft.end}
          onChange={(e) => set({ end: e.target.value })}
        />
        <div className="grid grid-cols-[11rem_1fr] gap-3">
          <NumberField
            whole
            label="Runs not counted"
            required
            value={draft.warmUps}
            onChange={(text) => set({ warmUps: text })}
          />
          <Field
            label="Warm-up rule"
            placeholder="after loading, or in a new area"
            value={draft.warm_up}
            onChange={(e) => set({ warm_up: e.target.value })}
          />
        </div>
        <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
          <legend className="label mb-1">Held back by</legend>
          {LEANS.map((one) => (
            <Tick
              key={one}
              label={one}
              checked={draft.leans_on.includes(one)}
              onChange={(on) =>
                set({
                  leans_on: on ? [...draft.leans_on, one] : draft.leans_on.filter((other) => other !== one),
                })
              }
            />
          ))}
        </fieldset>
        <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
