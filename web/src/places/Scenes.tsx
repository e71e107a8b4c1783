import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { client, data, type Schemas } from "../api/client";
import { useConditions, useMay, useSceneKinds, useScenes } from "../api/queries";
import { Button } from "../controls/Button";
import { Dialog } from "../controls/Dialog";
import { Field, Labelled } from "../controls/Field";
import { FormEnd } from "../controls/FormEnd";
import { useKeysOf } from "../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../controls/Notice";
import { PlaceHead } from "../controls/PlaceHead";
import { Select } from "../controls/Select";
import { fps } from "../format";

type Scene = Schemas["SceneOut"];

const KEYS = [
  { key: "n", does: "new scene" },
  { key: "c", does: "new condition" },
];

/** Games with their scenes, each so described that a colleague could repeat it. */
export default function Scenes() {
  const { data: scenes, error } = useScenes();
  const { data: conditions = [] } = useConditions();
  const { data: kinds = [] } = useSceneKinds();
  const lead = useMay("lead");
  const [filter, setFilter] = useState("");
  const [editing, setEditing] = useState<Scene | "new" | null>(null);
  const [condition, setCondition] = useState(false);
  const free = lead && !editing && !condition;
  useHotkeys("n", () => setEditing("new"), { enabled: free, preventDefault: true });
  useHotkeys("c", () => setCondition(true), { enabled: free, preventDefault: true });
  useKeysOf("Scenes", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!scenes) return <Loading what="the scenes" />;
  const label = new Map(kinds.map((kind) => [kind.kind, kind.label]));
  const shown = scenes.filter((scene) =>
    `${scene.game} ${scene.name}`.toLowerCase().includes(filter.toLowerCase()),
  );
  return (
    <>
      <PlaceHead
        title="Scenes"
        says="A scene is a repeatable stretch of a game: start, route, end, length."
        filters="Filter scenes"
        filter={filter}
        setFilter={setFilter}
      >
        {lead && (
          <>
            <Button shortcut="c" onClick={() => setCondition(true)}>
              New condition
            </Button>
            <Button kind="main" shortcut="n" onClick={() => setEditing("new")}>
              New scene
            </Button>
          </>
        )}
      </PlaceHead>
      {scenes.length === 0 ? (
        <Empty title="No scene yet.">
          <p>
            Describe the first: where it starts, what is done, where it ends. A replay or a fixed route
            repeats best.
          </p>
        </Empty>
      ) : (
        <table className="w-full border-collapse">
          <thead>
            <tr className="label">
              <th className="w-[15rem] pb-1">Game and scene</th>
              <th className="w-[11rem] pb-1">Kind, length</th>
              <th className="pb-1">Start → route → end</th>
              <th className="w-[6rem] pb-1">
                <span className="sr-only">Edit</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((scene) => (
              <tr key={scene.id} className="border-rule border-t">
                <th scope="row" className="py-2 pr-4">
                  <span className="font-semibold">{scene.game}</span>
                  <span className="block text-soft">{scene.name}</span>
                  {scene.engine_cap_fps && (
                    <span className="block text-[0.86rem] text-mute">
                      engine cap {fps(scene.engine_cap_fps)} fps
                    </span>
                  )}
                </th>
                <td className="py-2 pr-4">
                  {label.get(scene.kind)}
                  <span className="block text-mute">{scene.length_s} s</span>
                </td>
                <td className="py-2 pr-4">
                  {[scene.start, scene.route, scene.end].filter(Boolean).join(" → ") || "not described yet"}
                </td>
                <td className="py-2 text-right">
                  {lead &&
                    (scene.used ? (
                      <span
                        className="text-[0.86rem] text-mute"
                        title="A study used it: it stays as it was run"
                      >
                        in use
                      </span>
                    ) : (
                      <Button
                        onClick={() => setEditing(scene)}
                        aria-label={`Edit ${scene.game}, ${scene.name}`}
                      >
                        Edit
                      </Button>
                    ))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <section className="mt-10">
        <h2 className="mb-2 text-xl font-bold">Conditions</h2>
        {conditions.length === 0 && <p className="text-mute">None yet. A study makes those it names.</p>}
        <ul>
          {conditions.map((one) => (
            <li key={one.id} className="border-rule border-t py-1.5">
              <span className="font-semibold">{one.name}</span>{" "}
              <span className="text-soft">
                {[
                  one.resolution,
                  one.preset,
                  one.frame_limit_fps && `limited to ${fps(one.frame_limit_fps)} fps`,
                ]
                  .filter(Boolean)
                  .join(", ")}
              </span>
            </li>
          ))}
        </ul>
      </section>
      {editing && (
        <SceneDialog
          scene={editing === "new" ? null : editing}
          kinds={kinds}
          games={[...new Set(scenes.map((s) => s.game))]}
          close={() => setEditing(null)}
        />
      )}
      <ConditionDialog open={condition} close={() => setCondition(false)} />
    </>
  );
}

function SceneDialog({
  scene,
  kinds,
  games,
  close,
}: {
  scene: Scene | null;
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
    cap: scene?.engine_cap_fps ? String(scene.engine_cap_fps) : "",
  });
  const set = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const save = useMutation({
    mutationFn: (body: Schemas["SceneIn"]) =>
      scene
        ? data(client.PUT("/api/scenes/{scene_id}", { params: { path: { scene_id: scene.id } }, body }))
        : data(client.POST("/api/scenes", { body })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["scenes"] });
      close();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const { length, cap, ...rest } = draft;
    save.mutate({ ...rest, length_s: Number(length), engine_cap_fps: cap ? Number(cap) : null });
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
          <Field
            label="Length, s"
            inputMode="numeric"
            required
            value={draft.length}
            onChange={(e) => set({ length: e.target.value })}
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
        <Field
          label="Engine cap, fps"
          inputMode="decimal"
          placeholder="none known"
          hint="A rate the engine never exceeds. A capped average says nothing about the hardware."
          value={draft.cap}
          onChange={(e) => set({ cap: e.target.value })}
        />
        <FormEnd error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}

function ConditionDialog({ open, close }: { open: boolean; close: () => void }) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState({ name: "", resolution: "", preset: "", limit: "" });
  const set = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const save = useMutation({
    mutationFn: (body: Schemas["ConditionIn"]) => data(client.POST("/api/conditions", { body })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["conditions"] });
      setDraft({ name: "", resolution: "", preset: "", limit: "" });
      close();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const { limit, ...rest } = draft;
    save.mutate({ ...rest, frame_limit_fps: limit ? Number(limit) : null });
  };
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title="New condition"
      description="What the game is told."
    >
      <form onSubmit={submit} className="grid gap-3">
        <Field
          label="Name"
          autoFocus
          required
          placeholder="1440 high"
          value={draft.name}
          onChange={(e) => set({ name: e.target.value })}
        />
        <div className="grid grid-cols-3 gap-3">
          <Field
            label="Resolution"
            value={draft.resolution}
            onChange={(e) => set({ resolution: e.target.value })}
          />
          <Field label="Preset" value={draft.preset} onChange={(e) => set({ preset: e.target.value })} />
          <Field
            label="Frame limit, fps"
            inputMode="decimal"
            placeholder="none"
            value={draft.limit}
            onChange={(e) => set({ limit: e.target.value })}
          />
        </div>
        <FormEnd error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
