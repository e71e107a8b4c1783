/** Light for the desk, dark for the bench. */
export type Scheme = "desk" | "bench";

const KEY = "rennbahn.scheme";

export function storedScheme(): Scheme {
  return localStorage.getItem(KEY) === "bench" ? "bench" : "desk";
}

export function applyScheme(scheme: Scheme): void {
  document.documentElement.dataset.scheme = scheme;
  localStorage.setItem(KEY, scheme);
}
