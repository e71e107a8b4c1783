import { useMemo } from "react";
import { usePartKinds, useParts, useRigs, useSetups } from "../../api/queries";
import type { Shelf } from "./lanes";

/** What the lanes may be made of, as it was last asked. */
export function useShelf(): Shelf {
  const { data: setups } = useSetups();
  const { data: rigs } = useRigs();
  const { data: kinds } = usePartKinds();
  const { data: parts } = useParts();
  return useMemo(
    () => ({ setups: setups ?? [], rigs: rigs ?? [], kinds: kinds ?? [], parts: parts ?? [] }),
    [setups, rigs, kinds, parts],
  );
}
