import { api, type Schemas, unwrap } from "../api/client";
import { RECORD_QUEUE } from "../lib/fieldCopy";
import { type Answer, queueOf } from "./waitingQueue";

type Lists = Partial<Omit<Schemas["FarmDocument"], "embalse">>;
type Run = Schemas["ProcedureRunPart"];

/** Records made without a signal: a document part under the key of what it is about. */
export interface QueuedRecord {
  key: string;
  lists: Lists;
}

/** What may be entered in the field without a signal, each by the key of its record. */
export function queueable(lists: Lists): QueuedRecord | undefined {
  const kinds = Object.keys(lists);
  const part = lists.procedure_runs?.[0] ?? lists.growth_days?.[0];
  if (kinds.length !== 1 || !part) return undefined;
  return { key: `${kinds[0]} ${part.key}`, lists };
}

/** Records that wait on this device; steps of a run are put into the run as it is by then, not over it. */
export const recordQueue = queueOf<QueuedRecord>(RECORD_QUEUE, async (entries) => {
  const answers: Answer[] = [];
  for (const { key, lists } of entries) {
    const body = { embalse: 1, ...(await withOthers(lists)) } as Schemas["FarmDocument"];
    const { error, response } = await api.POST("/api/farm", { body });
    if (response.status === 401) unwrap({ error, response });
    const reasons = (error as { errors?: { reason: string }[] } | undefined)?.errors ?? [];
    answers.push({ key, kept: response.ok, reason: reasons.map((e) => e.reason).join("; ") });
  }
  return answers;
});

async function withOthers(lists: Lists): Promise<Lists> {
  const run = lists.procedure_runs?.[0];
  if (!run) return lists;
  const { data } = await api.GET("/api/runs/{key}", { params: { path: { key: run.key } } });
  const stored = data?.run as Run | undefined;
  return { procedure_runs: [{ ...run, ...stored, done: { ...stored?.done, ...run.done } }] };
}
