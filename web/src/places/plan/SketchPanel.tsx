import type { Schemas } from "../../api/client";
import { count, hours } from "../../format";
import { ORDER_WORDS, WEIGHT_WORDS } from "./words";

/** What would be run, as it grows, and whether its lanes are fair. */
export function SketchPanel({
  sketch,
  lanes,
  tests,
  passes,
}: {
  sketch: Schemas["SketchOut"] | undefined;
  lanes: string[];
  tests: number;
  passes: number;
}) {
  const shortest = sketch?.outlines.reduce((a, b) => (b.total_s < a.total_s ? b : a));
  const fairest = sketch?.outlines.reduce((a, b) =>
    Math.abs(b.drift_suite) < Math.abs(a.drift_suite) ? b : a,
  );
  const factor = [
    ...new Set(
      (sketch?.pairings ?? []).flatMap((pairing) =>
        pairing.factor.map((one) => `${one.label}: ${one.a} / ${one.b}`),
      ),
    ),
  ];
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
      {sketch && lanes.length > 1 && sketch.pairings.length > 0 && (
        <div className="mt-4 border-rule border-t pt-3 text-[0.93rem]" aria-live="polite">
          <h3 className="label">Between the lanes</h3>
          {factor.length > 0 && (
            <p className="mt-1">
              They differ in the factor:{" "}
              <span className="font-semibold">{factor.slice(0, 3).join("; ")}</span>
              {factor.length > 3 && `; and ${factor.length - 3} more`}.
            </p>
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
