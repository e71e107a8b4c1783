import type { Schemas } from "../../api/client";
import { useOnPaper } from "../../controls/paper";
import { useAddress } from "../../controls/useAddress";
import { signedPercent } from "../../format";
import type { Names } from "./shown";

type Ladder = Schemas["LadderAnswer"];

/** A lane's margin over the one that all are held against: pointing at a lane makes it that one. */
export function Against({ own, lane, names }: { own: Ladder; lane: string; names: Names }) {
  const [search, set] = useAddress();
  const onPaper = useOnPaper();
  const chosen = own.lanes.find((one) => one.lane === search.get("against"))?.lane ?? own.lanes[0]?.lane;
  const shown = over(own, lane, chosen);
  if (onPaper) {
    // On a published page its reader chooses.
    const any = Object.fromEntries(own.lanes.map((base) => [base.lane, over(own, lane, base.lane)]));
    return (
      <span data-lane={lane} data-over={JSON.stringify(any)}>
        {shown}
      </span>
    );
  }
  if (lane === chosen) return <span className="text-mute">{shown}</span>;
  return (
    <button
      type="button"
      className="cursor-pointer text-left underline decoration-dotted underline-offset-3"
      title={`Hold all against ${names.lane(lane)}`}
      onClick={() => set({ against: lane })}
    >
      {shown}
      <span className="sr-only"> over {names.lane(chosen ?? "")}. Hold all against this lane.</span>
    </button>
  );
}

/** A lane's margin over another, as it is written. */
function over(own: Ladder, lane: string, base: string | undefined): string {
  if (lane === base) return "held against";
  const pair = own.pairs.find((one) => one.a === base && one.b === lane);
  const margin = pair?.margin ?? own.pairs.find((one) => one.a === lane && one.b === base)?.reverse;
  return margin == null ? "–" : `${signedPercent(margin)}%`;
}
