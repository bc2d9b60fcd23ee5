// Where the browser allows it (https, or this machine itself): the board opens again while the yard is offline.
// The network always goes first; what was seen last is shown only when it does not answer.
const NAME = "bruvet-board-1";

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== self.location.origin) return;
  if (url.pathname === "/sign-in") {
    // Whoever signed out leaves nothing behind.
    event.waitUntil(caches.delete(NAME));
    return;
  }
  const page = request.mode === "navigate" && /^\/trials\/\d+\/board$/.test(url.pathname);
  if (!page && !/^\/(static|board)\//.test(url.pathname)) return;
  event.respondWith((async () => {
    const cache = await caches.open(NAME);
    try {
      const answer = await fetch(request);
      if (answer.ok && !answer.redirected) await cache.put(request, answer.clone());
      return answer;
    } catch (error) {
      const kept = await cache.match(request, { ignoreSearch: page });
      if (kept) return kept;
      throw error;
    }
  })());
});
