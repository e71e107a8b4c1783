import type { Schemas } from "../api/client";
import { usePartKinds } from "../api/queries";
import { LaneName } from "../controls/LaneMark";

type Setup = Schemas["SetupOut"];
type Lane = Schemas["LaneOut"];

interface Difference {
  name: string;
  a: string;
  b: string;
}

/** Where two setups differ, by kind of part and name of setting. */
export function differences(
  a: Pick<Setup, "parts" | "settings">,
  b: Pick<Setup, "parts" | "settings">,
): Difference[] {
  const rows = (setup: Pick<Setup, "parts" | "settings">) => {
    const map = new Map<string, string>();
    for (const part of setup.parts) {
      const before = map.get(part.kind);
      map.set(part.kind, before ? `${before}, ${part.name}` : part.name);
    }
    for (const setting of setup.settings) map.set(setting.name, setting.value);
    return map;
  };
  const [left, right] = [rows(a), rows(b)];
  return [...new Set([...left.keys(), ...right.keys()])]
    .filter((name) => left.get(name) !== right.get(name))
    .map((name) => ({ name, a: left.get(name) ?? "–", b: right.get(name) ?? "–" }));
}

/** The lanes' setups: what differs on top, as it is the question, then each in full. */
export function SetupSheets({ lanes }: { lanes: Lane[] }) {
  const [a, b] = lanes;
  const { data: kinds = [] } = usePartKinds();
  if (!a || !b) return null;
  const words = (name: string) => kinds.find((kind) => kind.kind === name)?.label ?? name;
  const differ = differences(a.setup, b.setup);
  const same = a.setup.parts.filter((part) => !differ.some((d) => d.name === part.kind));
  const settings = a.setup.settings.filter((setting) => !differ.some((d) => d.name === setting.name));
  return (
    <div className="sheet p-4">
      <table className="w-full border-collapse">
        <thead>
          <tr>
            <th className="label pb-1">Differs</th>
            {lanes.map((lane) => (
              <th key={lane.id} className="pb-1 text-[0.9rem] font-semibold">
                <LaneName lane={lane.position} name={lane.name} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {differ.map((row) => (
            <tr key={row.name} className="border-rule border-t">
              <td className="py-1 pr-3">{words(row.name)}</td>
              <td className="py-1 pr-3 font-semibold">{row.a}</td>
              <td className="py-1 font-semibold">{row.b}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="label mt-4 mb-1">Same in both</p>
      <dl className="grid grid-cols-[7.5rem_1fr] gap-y-0.5 text-[0.93rem]">
        {same.map((part) => (
          <div key={part.kind + part.name} className="contents">
            <dt className="text-mute">{words(part.kind)}</dt>
            <dd>{part.name}</dd>
          </div>
        ))}
        {settings.map((setting) => (
          <div key={setting.name} className="contents">
            <dt className="text-mute">{setting.name}</dt>
            <dd>{setting.value}</dd>
          </div>
        ))}
      </dl>
      <p className="mt-3 text-[0.85rem] text-mute">
        {lanes.map((lane) => `${lane.setup.name}, version ${lane.setup.version}`).join(" · ")}
      </p>
    </div>
  );
}
