import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { client, data, type Schemas, upload } from "../../api/client";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { moment, readNumber } from "../../format";
import type { Acting } from "./acting";
import { type Instruction, passWords, type View } from "./view";

export type Asking =
  | "note"
  | "reject"
  | "skip"
  | "order"
  | "room"
  | "file"
  | "typed"
  | "tray"
  | "anyway"
  | "end"
  | "next"
  | "seen"
  | null;

export interface AskedOf {
  asking: Asking;
  close: () => void;
  view: View;
  instruction: Instruction;
  act: Acting;
  study: number;
  hold: (run: View["run"]) => void;
  leave: () => void;
}

export function Submit({
  done,
  close,
  pending = false,
}: {
  done: string;
  close: () => void;
  pending?: boolean;
}) {
  return (
    <div className="flex justify-end gap-3">
      <Button onClick={close}>Cancel</Button>
      <Button kind="main" type="submit" disabled={pending}>
        {done}
      </Button>
    </div>
  );
}

export function Beside({ pass, close }: AskedOf & { pass: number | null }) {
  const send = useMutation({
    mutationFn: (file: File) =>
      upload(`/api/passes/${pass}/files`, file, () => undefined, {
        role: file.type.startsWith("image/") ? "picture" : "note",
      }),
    onSuccess: close,
  });
  return (
    <div className="grid gap-4">
      <label className="grid gap-1">
        <span className="label">A picture, or a file of notes</span>
        <input type="file" onChange={(e) => e.target.files?.[0] && send.mutate(e.target.files[0])} />
      </label>
      <ErrorNotice error={send.error} />
    </div>
  );
}

export function Typed({ pass, close, study }: AskedOf & { pass: number | null }) {
  const queries = useQueryClient();
  const [average, setAverage] = useState("");
  const [low, setLow] = useState("");
  const [from, setFrom] = useState("the game’s result page");
  const keep = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/passes/{pass_id}/reported", {
          params: { path: { pass_id: pass ?? 0 } },
          body: { average_fps: readNumber(average), low_1_fps: readNumber(low), read_from: from } as never,
        }),
      ),
    onSuccess: async () => {
      close();
      await queries.invalidateQueries({ queryKey: ["run", study] });
    },
  });
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate();
      }}
    >
      <p className="text-soft">Kept as reported, and never mixed with what was measured frame by frame.</p>
      <NumberField label="Average, fps" value={average} onChange={setAverage} autoFocus required />
      <NumberField label="1% low, fps (may stay empty)" value={low} onChange={setLow} />
      <Field label="Where it stands" value={from} required onChange={(e) => setFrom(e.target.value)} />
      <ErrorNotice error={keep.error} />
      <Submit done="Keep it" close={close} pending={keep.isPending} />
    </form>
  );
}

export function Tray({ view, pass, close, study }: AskedOf & { pass: number | null }) {
  const queries = useQueryClient();
  const take = useMutation({
    mutationFn: (file: Schemas["TrayOut"]) =>
      data(
        client.POST("/api/files/{arrival_id}/assign", {
          params: { path: { arrival_id: file.id } },
          body: { pass_id: file.likely_pass_id ?? pass ?? 0 },
        }),
      ),
    onSuccess: async () => {
      close();
      await queries.invalidateQueries({ queryKey: ["run", study] });
    },
  });
  useEffect(() => take.reset, [take.reset]);
  if (view.run.tray.length === 0) return <p>No file waits for a place.</p>;
  return (
    <div className="grid gap-3">
      <p className="text-soft">
        A file is taken with one key as the pass that it is likeliest, or the one at hand; any other place in
        Hand in.
      </p>
      {view.run.tray.slice(0, 8).map((file, at) => (
        <Button
          key={file.id}
          autoFocus={at === 0}
          disabled={(file.likely_pass_id ?? pass) === null || take.isPending}
          onClick={() => take.mutate(file)}
        >
          {file.name}
          {file.written_at && `, written ${moment(file.written_at)}`}
          {(file.refused || file.why) && `: ${file.refused || file.why}`}
          {` → ${passWords(view, file.likely_pass_id ?? pass)}`}
        </Button>
      ))}
      <ErrorNotice error={take.error} />
    </div>
  );
}

export function End({ view, study, close, hold, leave }: AskedOf) {
  const [notes, setNotes] = useState("");
  const end = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/studies/{study_id}/sessions/end", {
          params: { path: { study_id: study } },
          body: { notes, session_id: view.run.session?.id ?? null },
        }),
      ),
    onSuccess: (run) => {
      hold(run);
      close();
      leave();
    },
  });
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        end.mutate();
      }}
    >
      <p className="text-soft">What was not run stays planned; the next session goes on from here.</p>
      <Field
        label="Notes on the session (may stay empty)"
        value={notes}
        autoFocus
        maxLength={300}
        onChange={(e) => setNotes(e.target.value)}
      />
      <ErrorNotice error={end.error} />
      <Submit done="End it" close={close} pending={end.isPending} />
    </form>
  );
}
