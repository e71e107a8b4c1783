import { useSyncExternalStore } from "react";

/** Light for the desk, dark for the bench. */
export type Scheme = "desk" | "bench";

const KEY = "rennbahn.scheme";
const listeners = new Set<() => void>();

function stored(): Scheme {
  return localStorage.getItem(KEY) === "bench" ? "bench" : "desk";
}

/** Take a scheme, here and the next time. */
export function applyScheme(scheme: Scheme = stored()): void {
  document.documentElement.dataset.scheme = scheme;
  localStorage.setItem(KEY, scheme);
  for (const listener of listeners) listener();
}

/** The scheme on screen; what is drawn on a canvas must be drawn again when it changes. */
export function useScheme(): Scheme {
  return useSyncExternalStore((listener) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  }, stored);
}
