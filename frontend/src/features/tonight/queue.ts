import { api, Refusal, type Schemas, unwrap } from "../../api/client";
import { TOLD_QUEUE } from "../../lib/fieldCopy";

export type Told = Schemas["ToldIn"];

/** What was told of a set on this phone until the server has it, and why it was refused. */
export interface Waiting {
  entry: Told;
  refused: string;
}

export function waiting(): Waiting[] {
  return JSON.parse(localStorage.getItem(TOLD_QUEUE) ?? "[]") as Waiting[];
}

function keep(list: Waiting[]) {
  localStorage.setItem(TOLD_QUEUE, JSON.stringify(list));
}

/** Keeps what was told on this phone; the same thing told again takes the place of what waits. */
export function tell(entry: Told) {
  keep([...waiting().filter((w) => w.entry.key !== entry.key), { entry, refused: "" }]);
}

export function forget(key: string) {
  keep(waiting().filter((w) => w.entry.key !== key));
}

let sending: Promise<void> | undefined;

/** Sends what waits, in the order it was told; a line goes from the phone only when the server has it. */
export function sendAll(): Promise<void> {
  sending ??= send().finally(() => {
    sending = undefined;
  });
  return sending;
}

async function send(): Promise<void> {
  const list = waiting().filter((w) => !w.refused);
  if (list.length === 0) return;
  try {
    const said = unwrap(await api.POST("/api/sets/told", { body: { entries: list.map((w) => w.entry) } }));
    for (const one of said.entries) {
      if (one.kept) forget(one.key);
      else keep(waiting().map((w) => (w.entry.key === one.key ? { ...w, refused: one.reason } : w)));
    }
  } catch (error) {
    if (error instanceof TypeError) return; // no signal: all of it waits
    if (error instanceof Refusal && error.status === 401) return; // sent after signing in
    throw error;
  }
}

/** Now as the farm's clock has it, from the offset of a moment the server sent. */
export function farmNow(asOf: string, held: boolean): string {
  if (held) return asOf;
  const offset = asOf.slice(16);
  const sign = offset.startsWith("-") ? -1 : 1;
  const minutes = sign * (Number(offset.slice(1, 3)) * 60 + Number(offset.slice(4, 6)));
  return `${new Date(Date.now() + 60_000 * (minutes || 0)).toISOString().slice(0, 16)}${offset}`;
}
