import { api, type Schemas, unwrap } from "../../api/client";
import { queueOf, type Waiting as WaitingEntry } from "../../app/waitingQueue";
import { SEEN_QUEUE, TOLD_QUEUE } from "../../lib/fieldCopy";

export type Told = Schemas["ToldIn"];
export type Seen = Schemas["FollowedUp"];
export type Waiting = WaitingEntry<Told>;

/** What was told of sets. */
export const toldQueue = queueOf<Told>(
  TOLD_QUEUE,
  async (entries) => unwrap(await api.POST("/api/sets/told", { body: { entries } })).entries,
);

/** What was found where somebody went to see. */
export const seenQueue = queueOf<Seen>(
  SEEN_QUEUE,
  async (entries) => unwrap(await api.POST("/api/audit/visits", { body: { entries } })).entries,
);

/** Now as the farm's clock has it, from the offset of a moment the server sent. */
export function farmNow(asOf: string, held: boolean): string {
  if (held) return asOf;
  const offset = asOf.slice(16);
  const sign = offset.startsWith("-") ? -1 : 1;
  const minutes = sign * (Number(offset.slice(1, 3)) * 60 + Number(offset.slice(4, 6)));
  return `${new Date(Date.now() + 60_000 * (minutes || 0)).toISOString().slice(0, 16)}${offset}`;
}
