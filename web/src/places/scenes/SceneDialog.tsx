import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { Choice } from "../../controls/Choice";
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
    length: String(scene?.length_s ?? ""),
    start: scene?.start ?? "",
    route: scene?.route ?? "",
    end: scene?.end ?? "",
    warmUps: String(scene?.warm_up_runs ?? 1),
    warm_up: scene?.warm_up ?? "",
    leans_on: (scene?.leans_on ?? []) as Leans[],
  });
  // Another kind is a word for what was run; another start, route or length is another run.
  const steps =
    scene !== null &&
    ((scene.length_s !== null && String(scene.length_s) !== draft.length.trim()) ||
      (["start", "route", "end", "warm_up"] as const).some(
        (one) => scene[one] && scene[one] !== draft[one],
      ) ||
      String(scene.warm_up_runs) !== draft.warmUps.trim());
  const [said, setSaid] = useState<boolean | null>(null);
  const otherwise = said ?? steps;
  const set = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const seen = useSeen(scene?.seen);
  const save = useMutation({
    mutationFn: (body: Required<Schemas["SceneIn"]>) =>
      scene
        ? data(
            client.PUT("/api/scenes/{scene_id}", {
              params: { path: { scene_id: scene.id } },
              body: { ...body, seen: seen.current, run_otherwise: scene.used ? otherwise : null },
            }),
          )
        : data(client.POST("/api/scenes", { body })),
    onSuccess: async () => {
      close();
      await Promise.all(["games", "scenes"].map((key) => queries.invalidateQueries({ queryKey: [key] })));
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const { length, warmUps, ...rest } = draft;
    save.mutate({
      ...rest,
      length_s: readNumber(length),
      warm_up_runs: readNumber(warmUps) ?? 0,
    });
  };
  return (
    <Dialog open onOpenChange={(now) => !now && close()} title={scene ? "Edit the scene" : "New scene"}>
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
            placeholder="as its passes take"
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
        {scene?.used && (
          <fieldset>
            <legend className="label mb-1">Passes of it were run</legend>
            <Choice
              label="Passes of it were run"
              value={otherwise ? "otherwise" : "right"}
              onChange={(next) => setSaid(next === "otherwise")}
              options={[
                { value: "right", label: "The card is put right" },
                { value: "otherwise", label: "It is run otherwise from now on" },
              ]}
            />
            <p className="mt-1 text-[0.88rem] text-soft">
              {otherwise
                ? `What you change becomes version ${scene.version + 1}. Tests without a pass go on to it; what was run stays with this one.`
                : "What was run was run like this: the studies that ran it follow, and their records say so."}
            </p>
          </fieldset>
        )}
        <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
