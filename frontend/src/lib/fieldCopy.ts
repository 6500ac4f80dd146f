/** What this device keeps for places without a signal: a copy of the pages and their data, and entries that wait. */
export const FIELD_CACHE = "handheld";
export const FIELD_QUEUE = "hand-queue";
export const TOLD_QUEUE = "told-queue";
export const SEEN_QUEUE = "seen-queue";
export const RECORD_QUEUE = "record-queue";

/** How many entries wait to be sent. */
export function waitingCount(): number {
  return [FIELD_QUEUE, TOLD_QUEUE, SEEN_QUEUE, RECORD_QUEUE]
    .map((queue) => (JSON.parse(localStorage.getItem(queue) ?? "[]") as unknown[]).length)
    .reduce((sum, count) => sum + count, 0);
}

/** Forgets the copy, when somebody signs out; entries that wait stay. */
export async function forgetFieldCopy() {
  if ("caches" in window) await caches.delete(FIELD_CACHE);
}

/** Keeps pages and their data for places without a signal; whether this browser can. */
export async function keepForTheField(...paths: string[]): Promise<boolean> {
  if (!("serviceWorker" in navigator) || !("caches" in window)) return false;
  await navigator.serviceWorker.register("/sw.js");
  await navigator.serviceWorker.ready;
  const cache = await caches.open(FIELD_CACHE);
  const loaded = performance.getEntriesByType("resource").map((e) => new URL(e.name).pathname);
  const parts = loaded.filter((path) => !path.startsWith("/api/"));
  await cache.addAll([...new Set(["/", "/api/session", "/api/farm", ...paths, ...parts])]);
  return true;
}

let keptAt = "";
const listeners = new Set<() => void>();

/** Notes whether an answer came from this device's copy, and since when it is so. */
export function notice(answer: Response) {
  const next = answer.headers.get("X-Kept-At") ?? "";
  if (next === keptAt) return;
  keptAt = next;
  for (const tell of listeners) tell();
}

/** Since when what is shown is so, where there is no signal; empty with one. */
export const keptSince = () => keptAt;

export function onKept(tell: () => void) {
  listeners.add(tell);
  return () => {
    listeners.delete(tell);
  };
}
