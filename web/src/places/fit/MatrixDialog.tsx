import { type FormEvent, useState } from "react";
import { Problem, type Schemas } from "../../api/client";
import { useParts } from "../../api/queries";
import { fitActs, type Matrix, useFitAct } from "../../api/tuning";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import { Tick } from "../../controls/Tick";

type Part = Schemas["PartOut"];
const AXES = ["rows", "via", "columns"] as const;
const KINDS: Record<(typeof AXES)[number], readonly string[]> = {
  rows: ["machine", "board", "case", "memory"],
  via: ["adapter", "board"],
  columns: ["card", "processor", "board", "memory", "cooler"],
};

/** Which parts stand on the axes of a matrix. */
export function MatrixDialog({ matrix, close }: { matrix: Matrix | null; close: (made?: Matrix) => void }) {
  const { data: parts = [] } = useParts();
  const [title, setTitle] = useState(matrix?.title ?? "");
  const [names, setNames] = useState({
    rows: matrix?.rows_are ?? "Hosts",
    via: matrix ? matrix.via_are : "Adapters",
    columns: matrix?.columns_are ?? "Cards",
  });
  const ids = (axis: (typeof AXES)[number]) => matrix?.[axis].map((one) => one.id) ?? [];
  const [on, setOn] = useState({ rows: ids("rows"), via: ids("via"), columns: ids("columns") });
  const seen = useSeen(matrix?.seen);
  const save = useFitAct((body: Schemas["MatrixIn"]) =>
    matrix
      ? fitActs.edit(matrix.id, { ...body, seen: seen.current } as Schemas["MatrixEdit"])
      : fitActs.layOut(body),
  );
  const problem = save.error instanceof Problem ? save.error : null;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(
      {
        title,
        rows_are: names.rows,
        via_are: on.via.length ? names.via : "",
        columns_are: names.columns,
        ...on,
      },
      { onSuccess: (made) => close(made) },
    );
  };
  return (
    <Dialog open wide onOpenChange={(now) => !now && close()} title={matrix ? matrix.title : "New matrix"}>
      <form onSubmit={submit} className="grid gap-4">
        <Field
          label="What is asked"
          required
          autoFocus
          maxLength={160}
          placeholder="Which card runs in which box?"
          value={title}
          onChange={(event) => setTitle(event.target.value)}
        />
        <div className="grid gap-4 sm:grid-cols-3">
          {AXES.map((axis) => (
            <div key={axis} className="grid content-start gap-2">
              <Field
                label={
                  axis === "rows" ? "Rows are" : axis === "via" ? "Between, if anything, are" : "Columns are"
                }
                required={axis !== "via" || on.via.length > 0}
                maxLength={40}
                value={names[axis]}
                error={problem?.field === `${axis}_are` ? problem.message : undefined}
                onChange={(event) => setNames((now) => ({ ...now, [axis]: event.target.value }))}
              />
              <PartTicks
                label={names[axis] || "Between"}
                parts={parts.filter((one) => KINDS[axis].includes(one.kind))}
                on={on[axis]}
                toggle={(id) =>
                  setOn((now) => ({
                    ...now,
                    [axis]: now[axis].includes(id)
                      ? now[axis].filter((one) => one !== id)
                      : [...now[axis], id],
                  }))
                }
              />
              {problem?.field === axis && <p className="text-accent">{problem.message}</p>}
            </div>
          ))}
        </div>
        <FormEnd
          seen={seen}
          error={save.error}
          leave={() => close()}
          disabled={save.isPending || !on.rows.length || !on.columns.length}
          does={matrix ? "Keep" : "Lay it out"}
        />
      </form>
    </Dialog>
  );
}

function PartTicks({
  label,
  parts,
  on,
  toggle,
}: {
  label: string;
  parts: Part[];
  on: readonly number[];
  toggle: (id: number) => void;
}) {
  return (
    <fieldset className="grid max-h-64 gap-1 overflow-auto border-rule border-t pt-2">
      <legend className="sr-only">{label}</legend>
      {parts.length === 0 && <p className="text-mute">The bench has no such part.</p>}
      {parts.map((one) => (
        <Tick key={one.id} label={one.name} checked={on.includes(one.id)} onChange={() => toggle(one.id)} />
      ))}
    </fieldset>
  );
}
