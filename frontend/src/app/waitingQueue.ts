import { Refusal } from "../api/client";

/** Told when an entry of a record begins to wait on this device. */
export const WAITS = "embalse-waits";

const AGAIN_MS = 10_000;

/**
 * Sends when the device says that there is a signal, and every so often while something waits: at the edge of a field
 * a device may not be told, or be told too early. Gives back how to stop.
 */
export function sendWhenever(send: () => void, waits: () => boolean): () => void {
  const timer = setInterval(() => {
    if (waits()) send();
  }, AGAIN_MS);
  window.addEventListener("online", send);
  return () => {
    clearInterval(timer);
    window.removeEventListener("online", send);
  };
}

/** What waits on this device until the server has it, and why it was refused. */
export interface Waiting<T> {
  entry: T;
  refused: string;
}

export interface Answer {
  key: string;
  kept: boolean;
  reason: string;
}

/** Entries kept on this device and sent in the order they were made; each goes only when the server has it. */
export function queueOf<T extends { key: string }>(name: string, post: (entries: T[]) => Promise<Answer[]>) {
  const waiting = () => JSON.parse(localStorage.getItem(name) ?? "[]") as Waiting<T>[];
  const keep = (list: Waiting<T>[]) => localStorage.setItem(name, JSON.stringify(list));
  const forget = (key: string) => keep(waiting().filter((w) => w.entry.key !== key));
  /** The same thing told again takes the place of what waits. */
  const put = (entry: T) =>
    keep([...waiting().filter((w) => w.entry.key !== entry.key), { entry, refused: "" }]);
  const send = async () => {
    const list = waiting().filter((w) => !w.refused);
    if (list.length === 0) return;
    try {
      for (const one of await post(list.map((w) => w.entry))) {
        if (one.kept) forget(one.key);
        else keep(waiting().map((w) => (w.entry.key === one.key ? { ...w, refused: one.reason } : w)));
      }
    } catch (error) {
      if (error instanceof TypeError) return; // no signal: all of it waits
      if (error instanceof Refusal && error.status === 401) return; // sent after signing in
      if (error instanceof Refusal && error.status === 422) {
        // a line no server takes holds the others up no longer: it is told, and they go with the next send
        const bad = new Map(error.errors.map((e) => [/^entries\[(\d+)\]/.exec(e.path)?.[1], e.reason]));
        const refused = new Map(list.map((w, n) => [w.entry.key, bad.get(String(n))]));
        keep(waiting().map((w) => ({ ...w, refused: refused.get(w.entry.key) ?? w.refused })));
        if ([...refused.values()].some(Boolean)) return;
      }
      throw error;
    }
  };
  let sending: Promise<void> | undefined;
  const sendAll = () => {
    sending ??= send().finally(() => {
      sending = undefined;
    });
    return sending;
  };
  return { waiting, put, forget, sendAll };
}

export type Queue<T extends { key: string }> = ReturnType<typeof queueOf<T>>;
