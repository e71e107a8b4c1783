import type { Schemas } from "../../api/client";
import { Button } from "../../controls/Button";
import { Term } from "../../controls/Term";
import { hours, percent } from "../../format";
import type { Study } from "../../model/study";
import { ORDER_WORDS } from "./words";

type PlanOut = Schemas["PlanOut"];
type Outline = Schemas["OutlineOut"];

/** The intervals that an order would leave, and whether drift makes most of them. */
export function Tells({ tells }: { tells: Outline["tells"] }) {
  if (!tells) return <span className="text-mute">one lane, or a pass each: nothing to tell</span>;
  return (
    <>
      <span className="figure">±{percent(tells.test)}%</span> <span className="text-mute">a test,</span>{" "}
      <span className="figure">±{percent(tells.suite)}%</span> <span className="text-mute">all together</span>
      {tells.untold && (
        <span className="block text-[0.86rem] font-semibold text-accent">
          drift could move it up to {percent(tells.drift)}% either way
        </span>
      )}
      {tells.apart > 0 && (
        <span className="block text-[0.86rem] text-soft">
          {tells.apart < 1 ? "some lanes stand" : "a lane stands"} on one session
          {tells.sessions > 0 && `: up to ${percent(tells.sessions)}% either way`}
        </span>
      )}
    </>
  );
}

/** What the chosen order leaves open, and what would narrow it: control passes, another order, the better first. */
export function LeftOpen({
  study,
  plan,
  control,
  order,
}: {
  study: Study;
  plan: PlanOut;
  control?: (test: number | null) => void;
  order?: (order: string) => void;
}) {
  const names = new Map(study.tests_full.map((test) => [test.id, `${test.game}, ${test.condition}`]));
  const { control: controls, other_order: other } = plan;
  if (study.lanes_full.length < 2 || !(plan.drift_words || controls || other || plan.control_test))
    return null;
  const proposals = [
    controls && {
      key: "control",
      worth: controls.narrower_a_minute,
      says: (
        <>
          <Term word="control passes">Control passes</Term> of {names.get(controls.test_id)} where each lane
          begins and ends
        </>
      ),
      ...controls,
      button: control && <Button onClick={() => control(controls.test_id)}>Plan control passes</Button>,
    },
    other && {
      key: "order",
      worth: other.narrower_a_minute,
      says: (
        <>
          The order “{ORDER_WORDS[other.order]}”, in which lanes come back in other sessions or stand nearer
          to each other,
        </>
      ),
      ...other,
      button: order && <Button onClick={() => order(other.order)}>Take that order</Button>,
    },
  ]
    .filter((one) => one != null)
    .sort((a, b) => b.worth - a.worth);
  return (
    <div className="mb-5 grid gap-2 border-l-4 border-ink py-1 pl-4 text-[0.95rem]">
      {plan.drift_words && <p className="max-w-4xl font-semibold">{plan.drift_words}</p>}
      {plan.control_test != null && (
        <p className="flex flex-wrap items-center gap-3">
          <span>
            <Term word="control passes">Control passes</Term> of {names.get(plan.control_test)} stand where
            each lane begins and ends.
          </span>
          {control && <Button onClick={() => control(null)}>Plan no control passes</Button>}
        </p>
      )}
      {proposals.map((one) => (
        <p key={one.key} className="flex flex-wrap items-center gap-3">
          <span>
            {one.says} would leave <span className="figure">±{percent(one.tells.test)}%</span> a test,{" "}
            <span className="figure">±{percent(one.tells.suite)}%</span> all together, for{" "}
            {hours(Math.abs(one.seconds))} {one.seconds < 0 ? "less" : "more"}.
          </span>
          {one.button}
        </p>
      ))}
    </div>
  );
}
