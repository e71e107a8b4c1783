import { useCallback } from "react";
import { useSearchParams } from "react-router";

/**
 * What of a place lives in its address, and how to say something else: all at once, since of two changes in one moment
 * the second would not know of the first. An empty text takes its name out; Back leads to where one came from.
 */
export function useAddress(): [URLSearchParams, (part: Record<string, string>) => void] {
  const [search, setSearch] = useSearchParams();
  const set = useCallback(
    (part: Record<string, string>) =>
      setSearch(
        (before) => {
          const next = new URLSearchParams(before);
          for (const [name, value] of Object.entries(part)) {
            if (value) next.set(name, value);
            else next.delete(name);
          }
          return next;
        },
        { replace: true, preventScrollReset: true },
      ),
    [setSearch],
  );
  return [search, set];
}
