import type { Schemas } from "../../api/client";
import { Button } from "../../controls/Button";
import { useAddress } from "../../controls/useAddress";
import type { Study } from "../../model/study";
import { StudyPick } from "./StudyPick";

type Joined = Schemas["JoinedOut"];

/** A study with the lanes of an older one beside its own. */
export const withOlder = (study: Study, joined: readonly Joined[]): Study =>
  joined.length
    ? {
        ...study,
        lanes_full: [...study.lanes_full, ...joined.filter((one) => one.takes_part).map((one) => one.lane)],
      }
    : study;

/** Lanes of an older study beside this one's: in the tests that are the same one, where the method agrees. */
export function JoinOlder({ study }: { study: Study }) {
  const [search, set] = useAddress();
  // Lanes of a scaling study are conditions: no other lane is a step of theirs.
  if (study.kind === "scaling") return null;
  return (
    <section className="mt-6" aria-label="Older results">
      <h2 className="mb-1 text-xl font-bold">Older results</h2>
      <p className="mb-2 max-w-4xl text-soft">
        The lanes of another study stand beside this one’s, in every answer here, where scene, its version and
        condition are the same and the method agrees.
      </p>
      <StudyPick
        label="Older results to join"
        none="no older results"
        not={study.id}
        chosen={search.get("joined") ?? ""}
        choose={(joined) => set({ joined, baseline: "", other: "" })}
      />
    </section>
  );
}

/** What is to be said of each older lane that stands beside the study's own, and the way back. */
export function OlderLanes({ joined }: { joined: readonly Joined[] }) {
  if (!joined.length) return null;
  return (
    <div className="mt-3 border-l-4 border-ink py-1 pl-3" role="note" aria-label="Older results">
      <ul>
        {joined.map((one) => (
          <li key={one.lane_id} className={one.takes_part ? "" : "text-mute"}>
            {one.words}.
          </li>
        ))}
      </ul>
      <LeaveOlderOut />
    </div>
  );
}

/** The way back where an older study cannot be joined. */
export function LeaveOlderOut() {
  const [, set] = useAddress();
  return (
    <Button className="my-2" onClick={() => set({ joined: "" })}>
      Leave the older results out
    </Button>
  );
}
