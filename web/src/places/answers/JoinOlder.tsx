import { Button } from "../../controls/Button";
import { useAddress } from "../../controls/useAddress";
import type { Study } from "../../model/study";
import { StudyPick } from "./StudyPick";

/** Lanes of an older ladder beside this one's: in the tests that are the same one, where the method agrees. */
export function JoinOlder({ study }: { study: Study }) {
  const [search, set] = useAddress();
  return (
    <StudyPick
      label="Join an older ladder"
      none="no older results"
      kind="ladder"
      not={study.id}
      chosen={search.get("joined") ?? ""}
      choose={(joined) => set({ joined })}
    />
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
