// Lets Run be loaded again where the network is away: its page, scripts and how the bench stood when it was asked last.
// What is done there waits in the page's own outbox; nothing is answered from here that the server answers in time.

const PAGE = "rennbahn-page";
const FACTS = "rennbahn-bench";
/** The server is away when it has not answered after this. */
const SILENT_MS = 2500;
/** Where a kept answer says that it is one. */
const KEPT = "x-kept";

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

// The page tells which scripts it was made of; those of an older version go.
self.addEventListener("message", (event) => {
  if (!Array.isArray(event.data?.assets)) return;
  event.waitUntil(keepPage(event.data.assets));
});

async function keepPage(assets) {
  const cache = await caches.open(PAGE);
  const wanted = new Set(["/", ...assets.filter((path) => path.startsWith("/assets/"))]);
  const there = await cache.keys();
  const kept = new Set(there.map((request) => new URL(request.url).pathname));
  await Promise.all(
    [...wanted]
      .filter((path) => path === "/" || !kept.has(path))
      .map((path) => cache.add(path).catch(() => undefined)),
  );
  await Promise.all(
    there
      .filter((request) => !wanted.has(new URL(request.url).pathname))
      .map((request) => cache.delete(request)),
  );
}

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== self.location.origin) return;
  if (request.mode === "navigate") {
    if (/^\/studies\/\d+\/run$/.test(url.pathname)) event.respondWith(inTime(request, () => kept(PAGE, "/")));
  } else if (url.pathname.startsWith("/assets/")) {
    event.respondWith(kept(PAGE, url.pathname).then((found) => found ?? fetch(request)));
  } else if (url.pathname === "/api/session") {
    event.respondWith(session(request));
  } else if (url.pathname === "/api/words" || /^\/api\/studies\/\d+\/run$/.test(url.pathname)) {
    event.respondWith(fact(request));
  }
});

/** What was kept under an address; undefined where nothing was. */
async function kept(where, key) {
  const cache = await caches.open(where);
  return cache.match(key);
}

/** The server's answer, or another's where it is away or silent. */
async function inTime(request, instead) {
  const late = new Promise((_, fail) => setTimeout(() => fail(new Error("silent")), SILENT_MS));
  const answer = fetch(request);
  // One that fails after another was given is nobody's trouble any more.
  answer.catch(() => undefined);
  try {
    return await Promise.race([answer, late]);
  } catch {
    return (await instead()) ?? answer;
  }
}

/** A fact of the server, or what the page kept of it. */
async function fact(request) {
  const answer = await inTime(request, async () => marked(await kept(FACTS, request.url)));
  // Who is signed out or may not see it any more finds nothing here either.
  if (answer.status === 401 || answer.status === 403) await caches.delete(FACTS);
  return answer;
}

/** Who is signed in: with another person, what was kept for the one before is gone. */
async function session(request) {
  const answer = await inTime(request, async () => marked(await kept(FACTS, request.url)));
  if (!answer.ok || answer.headers.has(KEPT)) return answer;
  const before = await kept(FACTS, request.url);
  const [now, then] = await Promise.all([answer.clone().json(), before ? before.json() : null]);
  if (then && then.name !== now.name) await caches.delete(FACTS);
  const cache = await caches.open(FACTS);
  await cache.put(request.url, answer.clone());
  return answer;
}

function marked(answer) {
  if (!answer) return undefined;
  const headers = new Headers(answer.headers);
  headers.set(KEPT, "1");
  return new Response(answer.body, { status: answer.status, headers });
}
