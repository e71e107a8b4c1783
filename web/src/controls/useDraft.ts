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
 * third value forgets it; the fourth says whether it came back from before. What the form has come to ask since it was
 * kept stands as at its beginning.
 */
export function useDraft<T>(
  key: string,
  initial: T,
): [T, (change: T | ((now: T) => T)) => void, () => void, boolean] {
  const [found] = useState(() => read<T>(key));
  const [value, setValue] = useState<T>(() => (found === null ? initial : filledUp(found, initial)));
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

const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** What was kept, with what it lacks taken from another of its shape; lists are taken as they were kept. */
export function filledUp<T>(kept: T, from: T): T {
  if (!isRecord(kept) || !isRecord(from)) return kept;
  const both = Object.entries(from).map(([name, value]) => [
    name,
    kept[name] === undefined ? value : filledUp(kept[name], value),
  ]);
  return { ...kept, ...Object.fromEntries(both) };
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
