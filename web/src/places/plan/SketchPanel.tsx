import type { Schemas } from "../../api/client";
import { count, hours } from "../../format";
import { ORDER_WORDS, WEIGHT_WORDS } from "./words";

const LEVELS_SHOWN = 6;

/** What would be run, as it grows, and whether its lanes are fair. */
export function SketchPanel({
  sketch,
  lanes,
  tests,
  passes,
  described,
}: {
  sketch: Schemas["SketchOut"] | undefined;
  lanes: string[];
  tests: number;
  passes: number;
  /** Is anything said of the lanes yet? Before that they differ in nothing, which is nobody's fault. */
  described: boolean;
}) {
  const outlines = sketch?.outlines ?? [];
  const least = (of: (one: Schemas["OutlineOut"]) => number) =>
    outlines.length ? outlines.reduce((a, b) => (of(b) < of(a) ? b : a)) : undefined;
  const shortest = least((one) => one.total_s);
  const fairest = least((one) => one.tells?.suite ?? Number.POSITIVE_INFINITY);
  const levels = new Map<string, Set<string>>();
  for (const pairing of sketch?.pairings ?? [])
    for (const one of pairing.factor) {
      const known = levels.get(one.label) ?? new Set([one.a || "nothing"]);
      levels.set(one.label, known.add(one.b || "nothing"));
    }
  return (
    <aside aria-label="What will be run" className="sheet p-4 lg:sticky lg:top-4">
      <h2 className="label">What will be run</h2>
      <p className="mt-1 text-[1.05rem]">
        <span className="figure">{lanes.length}</span> lanes × <span className="figure">{tests}</span> tests ×{" "}
        <span className="figure">{passes}</span> passes
      </p>
      <p className="text-[1.7rem] leading-tight font-bold" aria-live="polite">
        {count(sketch?.passes ?? 0, "pass", "passes")}
      </p>
      {shortest && fairest && (
        <dl className="mt-2 grid grid-cols-[auto_1fr] gap-x-3 gap-y-1 text-[0.93rem]">
          <dt className="text-mute">quickest</dt>
          <dd>
            <span className="font-semibold">{hours(shortest.total_s)}</span>
            <span className="block text-[0.86rem] text-mute">{ORDER_WORDS[shortest.order]}</span>
          </dd>
          {fairest !== shortest && (
            <>
              <dt className="text-mute">fairest</dt>
              <dd>
                <span className="font-semibold">{hours(fairest.total_s)}</span>
                <span className="block text-[0.86rem] text-mute">{ORDER_WORDS[fairest.order]}</span>
              </dd>
            </>
          )}
        </dl>
      )}
      {described && sketch && lanes.length > 1 && sketch.pairings.length > 0 && (
        <div className="mt-4 border-rule border-t pt-3 text-[0.93rem]" aria-live="polite">
          <h3 className="label">Between the lanes</h3>
          {levels.size > 0 && (
            <div className="mt-1">
              They differ in the factor:
              {[...levels].map(([label, values]) => (
                <p key={label} className="font-semibold">
                  {label}: {[...values].slice(0, LEVELS_SHOWN).join(" / ")}
                  {values.size > LEVELS_SHOWN && ` and ${values.size - LEVELS_SHOWN} more`}
                </p>
              ))}
            </div>
          )}
          {sketch.objections.map((one) => (
            <p key={one.key} className="mt-1.5 border-l-3 border-accent pl-2">
              <span className="font-semibold">{one.label}</span>{" "}
              <span className="text-soft">({WEIGHT_WORDS[one.weight]})</span>
              <span className="block text-[0.88rem]">{one.about}</span>
              <span className="block text-[0.86rem] text-mute">{one.reason}</span>
            </p>
          ))}
          {sketch.objections.length > 0 && (
            <p className="mt-2 text-[0.86rem] text-mute">
              Mend them here, or accept each with a reason in the plan.
            </p>
          )}
        </div>
      )}
    </aside>
  );
}
