// Without a signal, what the pages for the field kept in its cache stands in for the network. With one, the network
// answers, and what it answers of these addresses is kept.
const CACHE = "handheld";
const KEPT = /^\/api\/(session|farm|round|tonight|audit|handheld|stations(\/[^/]+\/[^/]+)?|season|plan|units|runs\/[^/]+|blocks\/[^/]+\/growth|procedures)$/;

self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

/** Keeps an answer where this device keeps any: signing out deletes the cache, and nothing makes it anew here. */
async function keep(request, answer) {
  if (answer.ok && (await caches.has(CACHE))) await (await caches.open(CACHE)).put(request, answer);
}

/** A kept answer that says since when it is so. */
function dated(answer) {
  const headers = new Headers(answer.headers);
  headers.set("X-Kept-At", answer.headers.get("Date") ?? "");
  return new Response(answer.body, { status: answer.status, headers });
}

async function kept(request) {
  if (request.mode === "navigate") {
    for (const page of [new URL(request.url).pathname, "/tonight", "/handheld", "/"]) {
      const found = await caches.match(page);
      if (found) return found;
    }
  }
  const found = await caches.match(request);
  return found && new URL(request.url).pathname.startsWith("/api/") ? dated(found) : found;
}

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== self.location.origin) return;
  const answered = fetch(request).then((answer) => {
    if (KEPT.test(url.pathname)) event.waitUntil(keep(request, answer.clone()));
    return answer;
  });
  event.respondWith(answered.catch(async () => (await kept(request)) ?? Response.error()));
});
