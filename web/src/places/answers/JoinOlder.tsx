import { useStudies } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Select } from "../../controls/Select";
import { useAddress } from "../../controls/useAddress";
import type { Study } from "../study/study";

const NONE = "none";

/** Lanes of an older ladder beside this one's: in the tests that are the same one, where the method agrees. */
export function JoinOlder({ study }: { study: Study }) {
  const [search, set] = useAddress();
  const { data: pages } = useStudies("");
  const others = (pages?.pages.flat() ?? []).filter(
    (one) => one.id !== study.id && one.counts.accepted > 0 && one.kind === "ladder",
  );
  const joined = search.get("joined") ?? "";
  if (!others.length && !joined) return null;
  return (
    <div className="flex items-center gap-2">
      <span className="label">Join</span>
      <Select
        label="Join an older study"
        className="w-72!"
        value={joined || NONE}
        onChange={(id) => set({ joined: id === NONE ? "" : id })}
        options={[
          { value: NONE, label: "no older results" },
          ...others.map((one) => ({ value: String(one.id), label: one.question })),
        ]}
      />
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
