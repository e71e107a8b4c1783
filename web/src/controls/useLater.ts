import { useEffect, useState } from "react";

/** A value once it has rested for some milliseconds: what is typed is asked about when the hand pauses. */
export function useLater<T>(value: T, restMs: number): T {
  const [rested, setRested] = useState(value);
  const key = JSON.stringify(value);
  // biome-ignore lint/correctness/useExhaustiveDependencies: equal content is the same value
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), restMs);
    return () => clearTimeout(timer);
  }, [key, restMs]);
  return rested;
}
