import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { Tick } from "../../controls/Tick";
import { readNumber } from "../../format";

type Flag = "preset_needs_restart" | "forbids_overlays" | "has_replay" | "has_benchmark";

const FLAGS: [Flag, string][] = [
  ["preset_needs_restart", "a changed preset needs a restart"],
  ["forbids_overlays", "its guard against cheating forbids overlays"],
  ["has_replay", "has a replay"],
  ["has_benchmark", "has a built-in benchmark"],
];

/** A game with what of its engine matters to who measures it. */
export function GameDialog({ game, close }: { game: Schemas["GameOut"] | null; close: () => void }) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState({
    name: game?.name ?? "",
    genre: game?.genre ?? "",
    marks: (game?.marks ?? []).join(", "),
    cap: game?.engine_cap_fps ? String(game.engine_cap_fps) : "",
    notes: game?.notes ?? "",
    preset_needs_restart: game?.preset_needs_restart ?? false,
    forbids_overlays: game?.forbids_overlays ?? false,
    has_replay: game?.has_replay ?? false,
    has_benchmark: game?.has_benchmark ?? false,
  });
  const set = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const seen = useSeen(game?.seen);
  const save = useMutation({
    mutationFn: (body: Omit<Schemas["GameEdit"], "seen">) =>
      game
        ? data(
            client.PUT("/api/games/{game_id}", {
              params: { path: { game_id: game.id } },
              body: { ...body, seen: seen.current },
            }),
          )
        : data(client.POST("/api/games", { body })),
    onSuccess: async () => {
      close();
      await Promise.all(["games", "scenes"].map((key) => queries.invalidateQueries({ queryKey: [key] })));
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const { cap, marks, ...rest } = draft;
    const named = marks.split(",").map((mark) => mark.trim());
    save.mutate({
      ...rest,
      engine_cap_fps: readNumber(cap),
      marks: [...new Set(named.filter(Boolean))],
    });
  };
  return (
    <Dialog open onOpenChange={(now) => !now && close()} title={game ? game.name : "New game"}>
      <form onSubmit={submit} className="grid gap-3">
        <div className="grid grid-cols-2 gap-3">
          <Field
            label="Game"
            autoFocus
            required
            maxLength={120}
            value={draft.name}
            onChange={(e) => set({ name: e.target.value })}
          />
          <Field
            label="Genre"
            maxLength={60}
            value={draft.genre}
            onChange={(e) => set({ genre: e.target.value })}
          />
        </div>
        <Field
          label="Sets it belongs to"
          hint="With commas between them. Findings tell each set of games apart from the rest."
          placeholder="this year’s, open worlds"
          value={draft.marks}
          onChange={(e) => set({ marks: e.target.value })}
        />
        <NumberField
          label="Engine cap, fps"
          placeholder="none known"
          hint="A rate the engine never exceeds. A capped average says nothing about the hardware."
          value={draft.cap}
          onChange={(text) => set({ cap: text })}
        />
        <div className="grid gap-1.5">
          {FLAGS.map(([flag, label]) => (
            <Tick key={flag} label={label} checked={draft[flag]} onChange={(on) => set({ [flag]: on })} />
          ))}
        </div>
        <Field label="Notes" value={draft.notes} onChange={(e) => set({ notes: e.target.value })} />
        <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
