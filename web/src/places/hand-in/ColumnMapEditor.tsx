import type { Schemas } from "../../api/client";
import { words } from "../../api/words";
import { Select } from "../../controls/Select";

type Arrival = Schemas["ArrivalOut"];
type ColumnMap = Schemas["ColumnMap"];
type ColumnUse = Schemas["ColumnUse"];

const CLOCKS = ["frame_time", "timestamp", "fps"];

/** What a column may be taken for, in each of its units, as the server knows them. */
const options = () => [
  { value: "-", label: "not used" },
  ...words().channels.flatMap((one) =>
    one.units.map((unit) => ({ value: `${one.channel} ${unit}`, label: `${one.words}, ${unit}` })),
  ),
];

/** Why a map cannot be used yet, in words; null where it can. */
export function problemOfMap(columns: ColumnMap): string | null {
  const clocks = columns.map.filter((use) => CLOCKS.includes(use.channel));
  if (clocks.length === 0)
    return "Choose the column that says how long frames took: a frame time, a timestamp or a rate.";
  if (clocks.length > 1)
    return `Only one column can say how long frames took; now ${clocks.map((c) => `“${c.column}”`).join(" and ")} do.`;
  const channels = columns.map.map((use) => use.channel);
  const twice = channels.find((channel, i) => channels.indexOf(channel) !== i);
  return twice
    ? `Two columns are taken for ${words().channels.find((c) => c.channel === twice)?.words ?? twice}.`
    : null;
}

/** The first rows of a file, with what each column is taken for above it. */
export function ColumnMapEditor({
  file,
  columns,
  change,
}: {
  file: Arrival;
  columns: ColumnMap | null;
  change: (columns: ColumnMap) => void;
}) {
  const usedFor = (name: string) => columns?.map.find((use) => use.column === name);
  const set = (name: string, value: string) => {
    const [channel = "", unit = ""] = value.split(" ");
    const base: ColumnMap = columns ?? { format: "delimited", map: [] };
    const uses = new Map<string, ColumnUse>(base.map.map((use) => [use.column, use]));
    if (value === "-") uses.delete(name);
    else uses.set(name, { column: name, channel, unit });
    change({
      ...base,
      map: file.names.map((n) => uses.get(n)).filter((use): use is ColumnUse => use !== undefined),
    });
  };
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by key
    <section className="relative overflow-x-auto" aria-label="Columns and first rows" tabIndex={0}>
      <table className="border-collapse text-[0.88rem]">
        <thead>
          <tr>
            {file.names.map((name) => {
              const use = usedFor(name);
              return (
                <th key={name} className="min-w-[11rem] border border-rule p-1.5">
                  <Select
                    label={`What the column ${name} is`}
                    value={use ? `${use.channel} ${use.unit}` : "-"}
                    onChange={(value) => set(name, value)}
                    options={options()}
                    className={use ? "font-bold" : "text-mute!"}
                  />
                  <span className="mt-1 block font-semibold">{name}</span>
                </th>
              );
            })}
          </tr>
        </thead>
        <tbody>
          {file.rows.slice(0, 4).map((row, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows of a file have no other name
            <tr key={index}>
              {file.names.map((name, column) => (
                <td
                  key={name}
                  className={`figure border border-rule px-2 py-0.5 ${usedFor(name) ? "" : "text-mute"}`}
                >
                  {row[column]}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
