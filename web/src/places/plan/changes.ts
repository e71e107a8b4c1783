import type { Schemas } from "../../api/client";
import type { PlanBody } from "../../api/queries";

type PlanOut = Schemas["PlanOut"];
type Block = Schemas["BlockOut"];

/** What of a plan is kept: the rest follows from it. */
export function planIn(plan: PlanOut): Omit<PlanBody, "seen"> {
  return {
    margin: plan.margin,
    most_passes: plan.most_passes ?? null,
    order: plan.order,
    seed: plan.seed,
    costs: plan.costs ?? {},
    starts_on: plan.starts_on,
    day_starts: plan.day_starts,
    quiet_from: plan.quiet_from ?? null,
    quiet_to: plan.quiet_to ?? null,
    hours_a_day: plan.hours_a_day,
    weekdays: plan.weekdays,
    deadline: plan.deadline ?? null,
    control_test: plan.control_test ?? null,
    dates: plan.dates ?? [],
  };
}

/** The order of passes once block `from` stands where block `to` stands now. */
export function moved(blocks: Block[], from: number, to: number): number[] {
  const order = blocks.map((_, index) => index);
  const [taken] = order.splice(from, 1);
  if (taken === undefined) return blocks.flatMap((block) => block.pass_ids);
  order.splice(to, 0, taken);
  return order.flatMap((index) => blocks[index]?.pass_ids ?? []);
}
