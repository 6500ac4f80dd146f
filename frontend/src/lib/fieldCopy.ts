/** What this device keeps for places without a signal: a copy of the page and its data, and entries that wait. */
export const FIELD_CACHE = "handheld";
export const FIELD_QUEUE = "hand-queue";

/** How many entries wait to be sent. */
export function waitingCount(): number {
  return (JSON.parse(localStorage.getItem(FIELD_QUEUE) ?? "[]") as unknown[]).length;
}

/** Forgets the copy, when somebody signs out; entries that wait stay. */
export async function forgetFieldCopy() {
  if ("caches" in window) await caches.delete(FIELD_CACHE);
}
