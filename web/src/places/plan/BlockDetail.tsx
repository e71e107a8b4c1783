import type { Schemas } from "../../api/client";
import { Button } from "../../controls/Button";
import { LaneName } from "../../controls/LaneMark";
import { benchMoment, count, hours } from "../../format";
import type { Study } from "../../model/study";

type PlanOut = Schemas["PlanOut"];
type Block = Schemas["BlockOut"];

/** What is done in a block, when, and what must be changed before it. */
export function BlockDetail({
  block,
  plan,
  study,
  earlier,
  later,
}: {
  block: Block;
  plan: PlanOut;
  study: Study;
  earlier?: (() => void) | null;
  later?: (() => void) | null;
}) {
  const lane = study.lanes_full.find((one) => one.id === block.lane_id);
  const conditions = [
    ...new Set(
      study.tests_full
        .filter((test) => block.tests.includes(test.id))
        .map((test) => lane?.condition || test.condition),
    ),
  ];
  const session = plan.sessions[block.session];
  const clock = (seconds: number) => {
    const day = new Date(`${session?.starts ?? "2000-01-03T00:00:00"}Z`).getTime() / 1000;
    return new Date((day + seconds - (session?.start_s ?? 0)) * 1000).toISOString().slice(0, 19);
  };
  return (
    <div className="mt-2 flex flex-wrap items-start justify-between gap-4" aria-live="polite">
      <div>
        <p className="flex flex-wrap items-baseline gap-x-3">
          <strong>{lane && <LaneName lane={lane.position} name={lane.name} />}</strong>
          <span>
            {block.game}, {count(block.pass_ids.length, "pass", "passes")}, {conditions.join(", ")}
          </span>
          <span className="text-mute">
            {benchMoment(clock(block.start_s))} to {clock(block.end_s).slice(11, 16)}
          </span>
        </p>
        <ol className="text-[0.92rem] text-soft">
          {block.changes.map((change) => (
            <li key={change.kind + change.words}>
              {change.words} <span className="text-mute">{hours(change.seconds)}</span>
            </li>
          ))}
          {block.inner_changes > 0 && (
            <li className="text-mute">and {count(block.inner_changes, "change")} between its passes</li>
          )}
        </ol>
      </div>
      {(earlier !== undefined || later !== undefined) && (
        <div className="flex gap-2">
          <Button shortcut="[" disabled={!earlier} onClick={() => earlier?.()}>
            Earlier
          </Button>
          <Button shortcut="]" disabled={!later} onClick={() => later?.()}>
            Later
          </Button>
        </div>
      )}
    </div>
  );
}
