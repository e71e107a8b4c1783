import type { Schemas } from "../../api/client";
import { LaneName } from "../../controls/LaneMark";
import { fps } from "../../format";
import type { Study } from "../study/study";
import { namesOf } from "./shown";

const HELD: Record<string, string> = {
  card: "card",
  processor: "processor",
  cap: "a cap",
  link_or_memory: "link or memory",
  unclear: "unclear",
};
const EVIDENCE: Record<string, string> = {
  busy_times: "busy times",
  utilisation: "utilisation",
  resolutions: "resolutions",
  presets: "presets",
  lock: "a held rate",
};

/** What holds each lane in each test, from which evidence; a doubtful one is set lighter. */
export function Limits({ study, limits }: { study: Study; limits: Schemas["AnswerLimits"] }) {
  const names = namesOf(study);
  const found = new Map(limits.tests.map((one) => [`${one.test} ${one.lane}`, one]));
  if (!limits.tests.some((one) => one.held_by !== "unclear")) return null;
  return (
    <section className="mt-10">
      <h2 className="mb-2 text-xl font-bold">What holds the rate</h2>
      <div className="overflow-x-auto">
        <table className="border-collapse">
          <caption className="sr-only">What holds each lane in each test</caption>
          <thead>
            <tr className="label">
              <th scope="col" className="pb-1">
                Test
              </th>
              {study.lanes_full.map((lane) => (
                <th key={lane.id} scope="col" className="pb-1 pl-5 normal-case!">
                  <LaneName lane={lane.position} name={lane.name} />
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {study.tests_full.map((test) => (
              <tr key={test.id} className="border-rule border-t">
                <th scope="row" className="py-1 pr-3 text-left">
                  {names.tests.get(String(test.id))}
                </th>
                {study.lanes_full.map((lane) => {
                  const one = found.get(`${test.id} ${lane.id}`);
                  const sure = one && one.held_by !== "unclear";
                  return (
                    <td key={lane.id} className={`py-1 pl-5 ${sure ? "font-semibold" : "text-mute"}`}>
                      {one ? (HELD[one.held_by] ?? one.held_by) : "–"}
                      {sure && one.evidence && (
                        <span className="block text-[0.82rem] font-normal text-mute">
                          {EVIDENCE[one.evidence] ?? one.evidence}, {Math.round(one.sure * 100)}% sure
                        </span>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {limits.scenes.length > 0 && (
        <p className="mt-2 text-soft">
          The processor’s ceiling:{" "}
          {limits.scenes
            .map((one) => {
              const test = study.tests_full.find((other) => String(other.scene_id) === one.scene);
              const lane = names.lanes.get(one.lane)?.name ?? "";
              return `${test ? `${test.game}, ${test.scene}` : ""}, ${lane} ${fps(one.processor_ceiling_fps)} fps`;
            })
            .join("; ")}
          .
        </p>
      )}
    </section>
  );
}
