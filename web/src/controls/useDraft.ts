import { useCallback, useEffect, useState } from "react";

/** Kept for so long; what was forgotten for weeks is not wanted back. */
const KEPT_MS = 14 * 24 * 3600 * 1000;
const PREFIX = "rennbahn.draft.";

interface Kept<T> {
  at: number;
  value: T;
}

/**
 * Something typed that outlives a reload, Back and a closed tab: kept in this browser until it is saved or dropped. The
 * third value forgets it; the fourth says whether it came back from before.
 */
export function useDraft<T>(
  key: string,
  initial: T,
): [T, (change: T | ((now: T) => T)) => void, () => void, boolean] {
  const [found] = useState(() => read<T>(key));
  const [value, setValue] = useState<T>(found ?? initial);
  const [touched, setTouched] = useState(false);
  useEffect(() => {
    if (touched) write(key, value);
  }, [key, touched, value]);
  const change = useCallback((next: T | ((now: T) => T)) => {
    setTouched(true);
    setValue(next);
  }, []);
  const forget = useCallback(() => {
    setTouched(false);
    localStorage.removeItem(PREFIX + key);
  }, [key]);
  return [value, change, forget, found !== null];
}

function read<T>(key: string): T | null {
  try {
    const kept = JSON.parse(localStorage.getItem(PREFIX + key) ?? "null") as Kept<T> | null;
    return kept && Date.now() - kept.at < KEPT_MS ? kept.value : null;
  } catch {
    return null;
  }
}

function write<T>(key: string, value: T): void {
  try {
    localStorage.setItem(PREFIX + key, JSON.stringify({ at: Date.now(), value } satisfies Kept<T>));
  } catch {
    // A full or forbidden store: the draft lives as long as the page does.
  }
}
