// Keeps the pages of sign-offs at hand without a line: from the server where it answers, else as they were taken along (along.js).
const PATIENCE = 8000;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

const fromLine = async (request, isPage) => {
  const isGone = new Promise((resolve, reject) => { setTimeout(() => reject(new Error("no line")), PATIENCE); });
  try {
    return await Promise.race([fetch(request), isGone]);
  } catch (gone) {
    const kept = await caches.match(request, { ignoreSearch: isPage, ignoreVary: true });
    if (kept) return kept;
    throw gone;
  }
};

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const address = new URL(request.url);
  if (request.method !== "GET" || address.origin !== self.location.origin) return;
  const isPage = request.mode === "navigate";
  if (isPage || address.pathname.startsWith("/static/")) event.respondWith(fromLine(request, isPage));
});
