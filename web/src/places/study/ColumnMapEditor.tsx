import type { Schemas } from "../../api/client";
import { Select } from "../../controls/Select";

type Arrival = Schemas["ArrivalOut"];
type ColumnMap = Schemas["ColumnMap"];
type ColumnUse = Schemas["ColumnUse"];

const TIMES = ["ms", "s", "us", "ns"];

const CHANNELS: { channel: string; label: string; units: string[] }[] = [
  { channel: "frame_time", label: "frame time", units: TIMES },
  { channel: "timestamp", label: "timestamp", units: TIMES },
  { channel: "fps", label: "rate", units: ["fps"] },
  { channel: "gpu_busy_ms", label: "card busy", units: TIMES },
  { channel: "cpu_busy_ms", label: "processor busy", units: TIMES },
  { channel: "gpu_power_w", label: "card power", units: ["W"] },
  { channel: "gpu_temp_c", label: "card temperature", units: ["C"] },
  { channel: "gpu_hotspot_c", label: "card hot spot", units: ["C"] },
  { channel: "gpu_clock_mhz", label: "card clock", units: ["MHz"] },
  { channel: "gpu_util_pct", label: "card load", units: ["%"] },
  { channel: "cpu_util_pct", label: "processor load", units: ["%"] },
  { channel: "vram_used_mib", label: "card memory used", units: ["MiB"] },
  { channel: "fan_rpm", label: "fan", units: ["rpm"] },
  { channel: "wall_power_w", label: "wall power", units: ["W"] },
];

const CLOCKS = ["frame_time", "timestamp", "fps"];
const OPTIONS = [
  { value: "-", label: "not used" },
  ...CHANNELS.flatMap(({ channel, label, units }) =>
    units.map((unit) => ({ value: `${channel} ${unit}`, label: `${label}, ${unit}` })),
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
    ? `Two columns are taken for ${CHANNELS.find((c) => c.channel === twice)?.label ?? twice}.`
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
                    options={OPTIONS}
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
