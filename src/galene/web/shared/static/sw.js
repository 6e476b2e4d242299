// Keeps the job cards that were opened, so that a reload without the server shows the card again. The server is always
// asked first; nothing but cards and the product's own files is kept.
const CACHE = "galene-card";
let turns = 0;
const kept = new Map(); // path -> the turn of the answer that is kept: one that comes behind a later one is old
const versionOf = (path) => (/^\/static\/(v-[0-9a-f]+)\//.exec(path) || [])[1];
// Files of the last three versions of the product stay: a card that was kept names those that it was made with.
const prune = async (cache) => {
  const paths = (await cache.keys()).map((request) => new URL(request.url).pathname);
  const versions = [...new Set(paths.map(versionOf).filter(Boolean))];
  const old = new Set(versions.slice(0, -3));
  await Promise.all(paths.filter((path) => old.has(versionOf(path))).map((path) => cache.delete(path)));
};
const keep = async (path, turn, answer) => {
  if (!answer.ok || answer.redirected || turn < (kept.get(path) || 0)) return;
  kept.set(path, turn);
  // A browser that has no room for it shows the page all the same.
  await caches.open(CACHE).then(async (cache) => {
    await cache.put(path, answer.clone());
    if (path.endsWith("/app.css")) await prune(cache);
  }).catch(() => {});
};
self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url), request = event.request;
  const turn = ++turns;
  const work = /^\/jobs\/[^/]+\/work$/.test(url.pathname), page = work && request.mode === "navigate";
  if (work && request.method === "GET" && request.headers.has("x-galene-part")) {
    // The card asks for news of itself: what comes is kept for a reload, and nothing old is given in its place.
    event.respondWith(fetch(request).then(async (answer) => {
      await keep(url.pathname, turn, answer);
      return answer;
    }));
    return;
  }
  if (request.method !== "GET" || url.origin !== self.location.origin || !(page || url.pathname.startsWith("/static/"))) return;
  event.respondWith((async () => {
    try {
      const answer = await fetch(request);
      await keep(url.pathname, turn, answer);
      return answer;
    } catch (fault) {
      const old = await (await caches.open(CACHE)).match(url.pathname);
      if (old) return old;
      throw fault;
    }
  })());
});
