// Without a signal, what the pages for the field kept in its cache stands in for the network. With one, the network answers.
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (event) => {
  const { request } = event;
  if (request.method !== "GET") return;
  const page = new URL(request.url).pathname === "/tonight" ? "/tonight" : "/handheld";
  const kept = () => caches.match(request.mode === "navigate" ? page : request);
  event.respondWith(fetch(request).catch(async () => (await kept()) ?? Response.error()));
});
