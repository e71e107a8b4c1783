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
  if (lane === chosen) return <span className="text-mute">held against</span>;
  const pair = own.pairs.find((one) => one.a === chosen && one.b === lane);
  const turned = own.pairs.find((one) => one.a === lane && one.b === chosen);
  const margin = pair?.margin ?? turned?.reverse;
  if (onPaper) return <>{margin == null ? "–" : `${signedPercent(margin)}%`}</>;
  return (
    <button
      type="button"
      className="cursor-pointer text-left underline decoration-dotted underline-offset-3"
      title={`Hold all against ${names.lane(lane)}`}
      onClick={() => set({ against: lane })}
    >
      {margin == null ? "–" : `${signedPercent(margin)}%`}
      <span className="sr-only"> over {names.lane(chosen ?? "")}. Hold all against this lane.</span>
    </button>
  );
}
