/** Where a kept answer says that it is one (see public/bench-worker.js). */
export const KEPT = "x-kept";
const FACTS = "rennbahn-bench";

/**
 * Lets Run be loaded again where the network is away. Browsers do so only for a page of a secure address: this machine's
 * own, or one by https.
 */
export async function keepForOffline(): Promise<void> {
  if (!("serviceWorker" in navigator) || import.meta.env.DEV) return;
  try {
    await navigator.serviceWorker.register("/bench-worker.js");
    const { active } = await navigator.serviceWorker.ready;
    const loaded = performance.getEntriesByType("resource").map((one) => new URL(one.name));
    const assets = loaded
      .filter((url) => url.origin === location.origin && url.pathname.startsWith("/assets/"))
      .map((url) => url.pathname);
    active?.postMessage({ assets: [...new Set(assets)] });
    await (await caches.open(FACTS)).addAll(["/api/session", "/api/words"]);
  } catch {
    // Without it, Run works as long as it stays open.
  }
}

/** How the bench stands, for when it is asked for and the server is away. */
export async function keepRun(study: number, session: number | null, run: unknown): Promise<void> {
  if (!("caches" in window) || import.meta.env.DEV) return;
  const asked = session === null ? "" : `?session=${session}`;
  const answer = new Response(JSON.stringify(run), { headers: { "Content-Type": "application/json" } });
  await (await caches.open(FACTS)).put(`/api/studies/${study}/run${asked}`, answer).catch(() => undefined);
}

/** Whoever signs out leaves nothing of what was seen at the bench. */
export async function forgetOffline(): Promise<void> {
  if ("caches" in window) await caches.delete(FACTS);
}

const AHEAD = "rennbahn.ahead";

/** How far the server's clock is ahead, as it was measured last by this browser, ms. */
export function keptAhead(): number {
  return Number(localStorage.getItem(AHEAD) ?? 0) || 0;
}

export function keepAhead(aheadMs: number): void {
  localStorage.setItem(AHEAD, String(Math.round(aheadMs)));
}
