// What a runner's phone keeps of their page: one page to log a run on while there is no connection, with
// its style and scripts. The page itself is always asked for anew.

const scope = new URL(self.registration.scope).pathname;
const KEPT = `kept ${scope}`;
const offline = `${scope}/offline`;

async function renew() {
  const page = await fetch(offline, { cache: "no-store" });
  if (!page.ok) return;
  const text = await page.clone().text();
  const parts = [...text.matchAll(/(?:href|src)="(\/assets\/[^"]+)"/g)].map((m) => m[1]);
  const kept = await caches.open(KEPT);
  await kept.put(offline, page);
  await Promise.all(parts.map(async (part) => (await kept.match(part)) ?? kept.add(part)));
  for (const request of await kept.keys()) {
    const path = new URL(request.url).pathname;
    if (path !== offline && !parts.includes(path)) await kept.delete(request);
  }
}

self.addEventListener("install", (event) => {
  self.skipWaiting();
  event.waitUntil(renew());
});
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== "GET" || url.origin !== location.origin) return;
  if (event.request.mode === "navigate") {
    event.respondWith(
      fetch(event.request).then(
        (answer) => {
          if (answer.status === 404 && url.pathname === scope) {
            // The address was closed: nothing of it stays on the phone.
            event.waitUntil(caches.delete(KEPT).then(() => self.registration.unregister()));
          } else if (answer.ok && url.pathname === scope) {
            event.waitUntil(renew().catch(() => {}));
          }
          return answer;
        },
        async () => (await caches.match(offline)) ?? Response.error(),
      ),
    );
  } else if (url.pathname.startsWith("/assets/")) {
    event.respondWith(fetch(event.request).catch(async () => (await caches.match(event.request)) ?? Response.error()));
  }
});
