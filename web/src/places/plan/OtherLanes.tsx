import type { ClipboardEvent } from "react";
import { useSetups } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { emptySetup, type SetupDraft, SetupEditor } from "../bench/SetupEditor";
import { emptyOther, type OtherLane } from "./lanes";
import { linesOf } from "./pasting";
import { SetupFinder } from "./SetupFinder";

/** Setups that take part beside the levels, or instead of them: of the bench, or described on the spot. */
export function OtherLanes({
  others,
  change,
  factors,
  base,
  fault,
}: {
  others: OtherLane[];
  change: (others: OtherLane[]) => void;
  factors: string[];
  /** The setup that all other lanes are, from which a rival may begin; null where there is none. */
  base: SetupDraft | null;
  fault: (field: string) => string | undefined;
}) {
  const { data: setups = [] } = useSetups();
  const set = (key: number, part: Partial<OtherLane>) =>
    change(others.map((one) => (one.key === key ? { ...one, ...part } : one)));
  const nextKey = Math.max(-1, ...others.map((one) => one.key)) + 1;
  const named = (key: number, line: string): OtherLane => {
    const known = setups.find((one) => one.name.toLowerCase() === line.toLowerCase());
    const fresh = emptyOther(key, factors.length);
    return known
      ? { ...fresh, setup: String(known.id), name: known.name.slice(0, 80) }
      : { ...fresh, described: { ...emptySetup(), name: line } };
  };
  const pasteAt = (at: number) => (event: ClipboardEvent) => {
    const lines = linesOf(event.clipboardData.getData("text"));
    if (!lines) return;
    event.preventDefault();
    change([
      ...others.slice(0, at),
      ...lines.map((line, index) => named(nextKey + index, line)),
      ...others.slice(at + 1),
    ]);
  };
  return (
    <fieldset className="sheet min-w-0 p-4">
      <legend className="px-1 font-bold">Besides, setups of their own</legend>
      <p className="mb-2 text-[0.93rem] text-soft">
        Any setup may be a lane: a rival in a sweep, a laptop in a ladder. A list can be pasted, with prices:
        “Fennik Reise 14; 1299 EUR”. A name alone is a whole machine.
      </p>
      {others.map((one, index) => (
        <div key={one.key} className="mb-3 grid gap-2 border-rule border-t pt-3 sm:grid-cols-2">
          <SetupFinder
            label={`Setup ${index + 1} of its own`}
            quietLabel
            value={{ choice: one.setup || "new", setup: one.described ?? emptySetup() }}
            change={({ choice, setup }) => {
              const known = setups.find((each) => String(each.id) === choice);
              set(one.key, {
                setup: known ? choice : "",
                described: setup,
                ...(known && !one.name ? { name: known.name.slice(0, 80) } : {}),
              });
            }}
            onPaste={pasteAt(index)}
          />
          <Field
            label={`Name of setup ${index + 1} in charts`}
            quietLabel
            maxLength={80}
            placeholder="name in charts"
            value={one.name}
            error={fault(`other.${index}`)}
            onChange={(e) => set(one.key, { name: e.target.value })}
          />
          {factors.map((factor, at) => (
            <Field
              // biome-ignore lint/suspicious/noArrayIndexKey: one factor or two, and they do not move
              key={at}
              label={`${factor || "Level"} of setup ${index + 1}`}
              quietLabel
              placeholder={`${(factor || "level").toLowerCase()} it stands for (may stay empty)`}
              value={one.levels[at] ?? ""}
              onChange={(e) =>
                set(one.key, {
                  levels: factors.map((_, i) => (i === at ? e.target.value : (one.levels[i] ?? ""))),
                })
              }
            />
          ))}
          <Button kind="quiet" onClick={() => change(others.filter((other) => other.key !== one.key))}>
            Take it out
          </Button>
          {!one.setup && one.described?.name.trim() && (
            <details className="sm:col-span-2">
              <summary className="cursor-pointer">What it is, part by part</summary>
              {base && (
                <Button
                  className="mt-2"
                  onClick={() => set(one.key, { described: { ...base, name: one.described?.name ?? "" } })}
                >
                  Begin from the setup of the other lanes
                </Button>
              )}
              <SetupEditor
                named={false}
                draft={one.described}
                change={(described) => set(one.key, { described })}
              />
            </details>
          )}
        </div>
      ))}
      <Button onClick={() => change([...others, emptyOther(nextKey, factors.length)])}>One more setup</Button>
    </fieldset>
  );
}
