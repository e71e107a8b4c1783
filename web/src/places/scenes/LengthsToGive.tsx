import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, data } from "../../api/client";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { FormEnd } from "../../controls/FormEnd";
import { Tick } from "../../controls/Tick";
import { count } from "../../format";

/** Lengths that passes agree on, for all cards at once that say none. */
export function LengthsToGive() {
  const queries = useQueryClient();
  const { data: lengths = [] } = useQuery({
    queryKey: ["scenes", "lengths"],
    queryFn: () => data(client.GET("/api/scene-lengths")),
  });
  const [open, setOpen] = useState(false);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const given = lengths.filter((one) => !left.has(one.scene_id));
  const give = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/scenes/lengths", {
          body: { lengths: given.map(({ scene_id, length_s }) => ({ scene_id, length_s })) },
        }),
      ),
    onSuccess: async () => {
      setOpen(false);
      await queries.invalidateQueries({ queryKey: ["scenes"] });
    },
  });
  if (!lengths.length) return null;
  return (
    <div className="mb-4 flex flex-wrap items-center gap-3 border-l-4 border-ink py-1 pl-3">
      <p>
        {count(lengths.length, "scene has", "scenes have")} no length on{" "}
        {lengths.length === 1 ? "its card" : "their cards"}, though {lengths.length === 1 ? "its" : "their"}{" "}
        passes agree on one.
      </p>
      <Button onClick={() => setOpen(true)}>Look at what was measured</Button>
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title="Lengths as passes took them"
        description="They go on the cards; passes that are off them are doubted from then on."
      >
        <form
          className="grid gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            give.mutate();
          }}
        >
          <ul className="max-h-[24rem] overflow-y-auto">
            {lengths.map((one) => (
              <li
                key={one.scene_id}
                className="flex items-baseline justify-between gap-4 border-rule border-t py-1"
              >
                <Tick
                  label={`${one.game}, ${one.scene}`}
                  checked={!left.has(one.scene_id)}
                  onChange={(on) =>
                    setLeft((now) => {
                      const next = new Set(now);
                      on ? next.delete(one.scene_id) : next.add(one.scene_id);
                      return next;
                    })
                  }
                />
                <span>
                  <span className="figure">{one.length_s}</span> s{" "}
                  <span className="text-mute">in {count(one.passes, "pass", "passes")}</span>
                </span>
              </li>
            ))}
          </ul>
          <FormEnd
            error={give.error}
            leave={() => setOpen(false)}
            disabled={!given.length || give.isPending}
            does={given.length === 1 ? "Write it down" : `Write ${given.length} down`}
          />
        </form>
      </Dialog>
    </div>
  );
}
