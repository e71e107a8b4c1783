import { useOnPaper } from "../../controls/paper";
import { Tick } from "../../controls/Tick";
import { useAddress } from "../../controls/useAddress";

const ids = (text: string | null) => (text ?? "").split(",").filter(Boolean);

/** Lanes of interest, from the address; none where all are. */
export function useFront(): { front: ReadonlySet<string>; shown: (lane: string | number) => boolean } {
  const [search] = useAddress();
  const front = new Set(ids(search.get("front")));
  return { front, shown: (lane) => front.size === 0 || front.has(String(lane)) };
}

/** Sets a lane in front of the others: pictures draw the rest faintly, and lists leave it out. */
export function InFront({ lane, name }: { lane: string; name: string }) {
  const [search, set] = useAddress();
  const onPaper = useOnPaper();
  const own = ids(search.get("front"));
  const change = (on: boolean) =>
    set({ front: (on ? [...own, lane] : own.filter((one) => one !== lane)).join(",") });
  if (onPaper) return null;
  return <Tick quietLabel label={`Set ${name} in front`} checked={own.includes(lane)} onChange={change} />;
}
