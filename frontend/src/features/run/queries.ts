import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";
import { recordQueue } from "../../app/recordQueue";
import { useApply } from "../../app/records";

export type Run = Schemas["RunContent"];
export type RunStep = Schemas["RunStepOut"];
type Stored = Schemas["ProcedureRunPart"];

export function useRun(key: string) {
  return useQuery({
    queryKey: ["run", key],
    queryFn: async () => withWaiting(unwrap(await api.GET("/api/runs/{key}", { params: { path: { key } } }))),
  });
}

/** Writes one step of a run, or takes it back, leaving the others as they are. */
export function useWriteStep(run: Run | undefined) {
  const apply = useApply();
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, entry }: { id: string; entry: Schemas["DonePart"] | null }) => {
      if (!run) return;
      const stored = run.run as unknown as Stored;
      const done = { ...stored.done };
      if (entry === null) delete done[id];
      else done[id] = entry;
      await apply.mutateAsync({ procedure_runs: [{ ...stored, done }] });
      // without a signal nothing is asked anew: the run goes on as it was told here
      const waits = recordQueue.waiting().some((w) => w.entry.key === `procedure_runs ${run.key}`);
      if (waits) client.setQueryData<Run>(["run", run.key], (now) => now && withStep(now, id, entry));
    },
  });
}

/** The run with the steps that wait on this device for a signal. */
function withWaiting(run: Run): Run {
  const waits = recordQueue.waiting().find((w) => w.entry.key === `procedure_runs ${run.key}`);
  const told = waits?.entry.lists.procedure_runs?.[0]?.done ?? {};
  const known = (run.run as unknown as Stored).done ?? {};
  return Object.entries(told)
    .filter(([id]) => !(id in known))
    .reduce((now, [id, entry]) => withStep(now, id, entry), run);
}

/** The run with a step entered or taken back; what the server makes of its value is said when there is a signal. */
function withStep(run: Run, id: string, entry: Schemas["DonePart"] | null): Run {
  const done = { ...(run.run as unknown as Stored).done };
  if (entry === null) delete done[id];
  else done[id] = entry;
  const steps = run.steps.map((s) =>
    s.id === id
      ? { ...s, outcome: entry ? "done" : "open", value: entry?.value ?? null, at: entry?.at ?? null }
      : s,
  );
  const next_id = steps.find((s) => s.outcome === "open")?.id ?? null;
  return { ...run, run: { ...run.run, done }, steps, next_id };
}

export function useCloseRun(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ evenFailed, at }: { evenFailed: boolean; at: string }) =>
      unwrap(
        await api.POST("/api/runs/{key}/close", {
          params: { path: { key } },
          body: { even_failed: evenFailed, at: at || null },
        }),
      ),
    onSuccess: () => client.invalidateQueries(),
  });
}
