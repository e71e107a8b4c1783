import { useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useParams } from "react-router";
import { useMay } from "../../api/queries";
import { type FitPlace, type Matrix, useMatrix } from "../../api/tuning";
import { ExportMenu } from "../../charts/ExportMenu";
import { FitPicture, SIGNS } from "../../charts/kinds/FitPicture";
import { Button } from "../../controls/Button";
import { FilterField } from "../../controls/Filter";
import { useKeysOf } from "../../controls/Keys";
import { MenuLink } from "../../controls/Menu";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { Toggles } from "../../controls/Toggles";
import { useAddress } from "../../controls/useAddress";
import { useTitle } from "../../controls/useTitle";
import { Keep, ofTheHouse } from "../reports/Keep";
import { MatrixDialog } from "./MatrixDialog";
import { PlacePanel } from "./PlacePanel";

const KEYS = [{ key: "c", does: "change the matrix" }];

/** A matrix: what works, what does not, what was tried. */
export function FitPage() {
  const { data: matrix, error } = useMatrix(Number(useParams().matrix));
  if (error) return <ErrorNotice error={error} />;
  if (!matrix) return <Loading what="the matrix" />;
  return <Shown matrix={matrix} />;
}

const keyOf = (place: { row: number; via: number | null; column: number }) =>
  [place.row, place.via ?? 0, place.column].join("-");

function Shown({ matrix }: { matrix: Matrix }) {
  const lead = useMay("lead");
  const [search, set] = useAddress();
  const [editing, setEditing] = useState(false);
  const [text, setText] = useState("");
  const [states, setStates] = useState<ReadonlySet<string>>(new Set());
  useTitle(matrix.title, "What fits");
  useHotkeys("c", () => setEditing(true), { enabled: lead && !editing, preventDefault: true });
  useKeysOf("This matrix", KEYS);
  const [first, ...more] = matrix.sentences;
  const chosen = matrix.places.find((one) => keyOf(one) === search.get("at"));
  const wanted = text.trim().toLowerCase();
  const holds = (name: string) => name.toLowerCase().includes(wanted);
  const rows = useMemo(() => shownOn(matrix, "rows", wanted), [matrix, wanted]);
  const columns = useMemo(() => shownOn(matrix, "columns", wanted), [matrix, wanted]);
  const via =
    wanted && matrix.via.some((one) => holds(one.name))
      ? matrix.via.filter((one) => holds(one.name))
      : matrix.via;
  const found = [...new Set(matrix.places.map((one) => one.state))];
  return (
    <>
      <p className="text-soft">
        <Link to="/tuning/fit">What fits</Link>
      </p>
      <div className="mb-3 flex flex-wrap items-end justify-between gap-3">
        <h1 className="text-[2rem] leading-tight font-bold">{matrix.title}</h1>
        {lead && (
          <Button shortcut="c" onClick={() => setEditing(true)}>
            Change
          </Button>
        )}
      </div>
      <p className="max-w-5xl text-[1.5rem] leading-[1.15] font-semibold" style={{ fontStretch: "85%" }}>
        {first}
      </p>
      {more.map((one) => (
        <p key={one} className="mt-1 max-w-5xl text-[1.05rem]">
          {one}
        </p>
      ))}
      <div className="my-4 flex flex-wrap items-end gap-4">
        <FilterField label="Parts by name" text={text} setText={setText} />
        <Toggles
          label="Only those that"
          options={found.map((one) => ({ value: one, label: SIGNS[one]?.words ?? one }))}
          on={states}
          toggle={(one) =>
            setStates(
              (now) => new Set(now.has(one) ? [...now].filter((each) => each !== one) : [...now, one]),
            )
          }
        />
        <ExportMenu
          label="Export"
          name={matrix.title}
          draw={(how) => <FitPicture {...how} matrix={matrix} />}
        >
          <MenuLink href={`/api/fits/${matrix.id}/attempts.csv`}>Attempts as CSV</MenuLink>
        </ExportMenu>
        <Keep
          offer={() =>
            ofTheHouse(matrix.title, [{ kind: "fit", label: "This matrix", look: { fit: matrix.id } }])
          }
        />
      </div>
      <div className={chosen ? "grid items-start gap-6 xl:grid-cols-[1fr_26rem]" : ""}>
        <div className="grid gap-5">
          {(via.length ? via : [null]).map((between) => (
            <Grid
              key={between?.id ?? 0}
              matrix={matrix}
              between={between}
              rows={rows}
              columns={columns}
              states={states}
              chosen={chosen ? keyOf(chosen) : ""}
              choose={(place) => set({ at: keyOf(place) })}
            />
          ))}
        </div>
        {chosen && (
          <PlacePanel key={keyOf(chosen)} matrix={matrix} place={chosen} close={() => set({ at: "" })} />
        )}
      </div>
      {editing && <MatrixDialog matrix={matrix} close={() => setEditing(false)} />}
    </>
  );
}

/** The parts of an axis that a filter leaves: all of them where it names none of it. */
function shownOn(matrix: Matrix, axis: "rows" | "columns", wanted: string) {
  const some = matrix[axis].filter((one) => one.name.toLowerCase().includes(wanted));
  return some.length ? some : matrix[axis];
}

interface Axis {
  id: number;
  name: string;
}

function Grid({
  matrix,
  between,
  rows,
  columns,
  states,
  chosen,
  choose,
}: {
  matrix: Matrix;
  between: Axis | null;
  rows: readonly Axis[];
  columns: readonly Axis[];
  states: ReadonlySet<string>;
  chosen: string;
  choose: (place: FitPlace) => void;
}) {
  const at = new Map(matrix.places.map((one) => [keyOf(one), one]));
  return (
    <section aria-label={between?.name ?? matrix.title} className="relative overflow-x-auto">
      {between && (
        <h2 className="mb-1 font-bold">
          <span className="label">{matrix.via_are}</span> {between.name}
        </h2>
      )}
      <table className="border-collapse">
        <caption className="sr-only">
          {matrix.rows_are} by {matrix.columns_are}
          {between && `, by ${between.name}`}
        </caption>
        <thead>
          <tr>
            <th scope="col" className="label pr-4 pb-1 text-left">
              {matrix.rows_are} · {matrix.columns_are}
            </th>
            {columns.map((one) => (
              <th key={one.id} scope="col" className="min-w-36 px-2 pb-1 text-left font-semibold">
                {one.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.id} className="border-rule border-t">
              <th scope="row" className="py-1 pr-4 text-left font-semibold">
                {row.name}
              </th>
              {columns.map((column) => {
                const place = at.get(keyOf({ row: row.id, via: between?.id ?? null, column: column.id }));
                if (!place) return <td key={column.id} />;
                const sign = SIGNS[place.state];
                const against = place.checks.length > 0 && place.attempts.length === 0;
                const faint = states.size > 0 && !states.has(place.state);
                return (
                  <td key={column.id} className="p-1">
                    <button
                      type="button"
                      aria-pressed={keyOf(place) === chosen}
                      aria-label={`${row.name}${between ? `, ${between.name}` : ""}, ${column.name}: ${place.words}${against ? " facts speak against it" : ""}`}
                      onClick={() => choose(place)}
                      className={`flex w-full cursor-pointer items-center gap-2 rounded-[3px] border px-2 py-1.5 text-left text-[0.92rem] ${keyOf(place) === chosen ? "border-ink border-2" : "border-rule hover:border-mute"} ${faint ? "text-mute" : ""} ${place.state === "works" ? "bg-band" : "bg-raised"}`}
                    >
                      <svg
                        viewBox="-12 -12 24 24"
                        width="16"
                        height="16"
                        aria-hidden="true"
                        className="shrink-0"
                      >
                        {sign?.draw("currentColor")}
                      </svg>
                      <span>
                        {place.words}{" "}
                        {against && (
                          <span className="block text-[0.82rem] text-accent">facts speak against it</span>
                        )}
                      </span>
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
