import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { readNumber } from "../../format";

type Condition = Schemas["ConditionOut"];

export function ConditionDialog({ condition, close }: { condition: Condition | null; close: () => void }) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState({
    name: condition?.name ?? "",
    resolution: condition?.resolution ?? "",
    preset: condition?.preset ?? "",
    upscaling: condition?.upscaling ?? "",
    ray_tracing: condition?.ray_tracing ?? "",
    api: condition?.api ?? "",
    limit: condition?.frame_limit_fps ? String(condition.frame_limit_fps) : "",
    intent: condition?.intent ?? "typical",
  });
  const set = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const seen = useSeen(condition?.seen);
  const save = useMutation({
    mutationFn: (body: Omit<Schemas["ConditionEdit"], "seen">) =>
      condition
        ? data(
            client.PUT("/api/conditions/{condition_id}", {
              params: { path: { condition_id: condition.id } },
              body: { ...body, seen: seen.current },
            }),
          )
        : data(client.POST("/api/conditions", { body })),
    onSuccess: async () => {
      close();
      await queries.invalidateQueries({ queryKey: ["conditions"] });
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const { limit, ...rest } = draft;
    save.mutate({ ...rest, frame_limit_fps: readNumber(limit) });
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={condition ? condition.name : "New condition"}
      description={
        condition?.used
          ? "A study runs under it: what it told the games stays, what is blank can be filled in."
          : "What the game is told, as a set under one name."
      }
    >
      <form onSubmit={submit} className="grid gap-3">
        <div className="grid grid-cols-2 gap-3">
          <Field
            label="Name"
            autoFocus
            required
            placeholder="1440 high"
            value={draft.name}
            onChange={(e) => set({ name: e.target.value })}
          />
          <Labelled label="Meant">
            <Select
              label="Intent"
              value={draft.intent}
              onChange={(intent) => set({ intent: intent as Condition["intent"] })}
              options={[
                { value: "typical", label: "as people play" },
                { value: "expose", label: "to expose one part" },
              ]}
            />
          </Labelled>
        </div>
        <div className="grid grid-cols-3 gap-3">
          <Field
            label="Resolution"
            value={draft.resolution}
            onChange={(e) => set({ resolution: e.target.value })}
          />
          <Field label="Preset" value={draft.preset} onChange={(e) => set({ preset: e.target.value })} />
          <NumberField
            label="Frame limit, fps"
            placeholder="none"
            value={draft.limit}
            onChange={(text) => set({ limit: text })}
          />
          <Field
            label="Upscaling"
            value={draft.upscaling}
            onChange={(e) => set({ upscaling: e.target.value })}
          />
          <Field
            label="Ray tracing"
            value={draft.ray_tracing}
            onChange={(e) => set({ ray_tracing: e.target.value })}
          />
          <Field label="API" value={draft.api} onChange={(e) => set({ api: e.target.value })} />
        </div>
        <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
