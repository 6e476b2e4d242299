// Keeps the job cards that were opened, so that a reload without the server shows the card again. The server is always
// asked first; nothing but cards and the product's own files is kept.
const CACHE = "galene-card";
self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url), request = event.request;
  const work = /^\/jobs\/[^/]+\/work$/.test(url.pathname), page = work && request.mode === "navigate";
  if (work && request.method === "GET" && request.headers.has("x-galene-part")) {
    // The card asks for news of itself: what comes is kept for a reload, and nothing old is given in its place.
    event.respondWith(fetch(request).then(async (answer) => {
      if (answer.ok && !answer.redirected) await (await caches.open(CACHE)).put(url.pathname, answer.clone());
      return answer;
    }));
    return;
  }
  if (request.method !== "GET" || url.origin !== self.location.origin || !(page || url.pathname.startsWith("/static/"))) return;
  event.respondWith((async () => {
    const cache = await caches.open(CACHE);
    try {
      const answer = await fetch(request);
      if (answer.ok && !answer.redirected) await cache.put(url.pathname, answer.clone());
      return answer;
    } catch (fault) {
      const kept = await cache.match(url.pathname);
      if (kept) return kept;
      throw fault;
    }
  })());
});
