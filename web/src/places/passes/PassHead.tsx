import { Button } from "../../controls/Button";
import { LaneName } from "../../controls/LaneMark";
import { fps } from "../../format";
import { reasonWords, type Study } from "../../model/study";
import { markWords, type passAt } from "./matrix";

/** The pass in question: of which test and lane, how it stands, what it ran at. */
export function PassHead({
  study,
  active,
  open,
}: {
  study: Study;
  active: NonNullable<ReturnType<typeof passAt>>;
  open: () => void;
}) {
  const { one, mark } = active;
  const test = study.tests_full.find((found) => found.id === one.test_id);
  const lane = study.lanes_full.find((found) => found.id === one.lane_id);
  const why = reasonWords(one);
  const figures = one.figures;
  return (
    <div className="border-rule border-b pb-2">
      <h2 className="text-lg leading-tight font-bold">
        {test?.game}, pass {one.number}
      </h2>
      <p className="flex flex-wrap items-center gap-x-3 text-[0.93rem]">
        {lane && <LaneName lane={lane.position} name={lane.name} />}
        <span className={mark === "doubted" ? "font-bold text-accent" : "text-mute"}>
          {markWords(mark)}
          {one.role !== "counted" && `, ${one.role.replace("_", "-")}`}
          {one.simulated && ", simulated: no result"}
        </span>
      </p>
      {figures?.average_fps != null && figures.low_1_fps != null && (
        <p className="figure">
          {fps(figures.average_fps)} · {fps(figures.low_1_fps)}{" "}
          <span className="font-sans text-[0.86rem] text-mute">average · 1% low, fps</span>
        </p>
      )}
      {why && <p>{why}</p>}
      <p className="mt-1">
        <Button shortcut="Enter" onClick={open}>
          Open its trace
        </Button>
      </p>
    </div>
  );
}
