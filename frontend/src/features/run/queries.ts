import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";
import { useApply } from "../../app/records";

export type Run = Schemas["RunContent"];
export type RunStep = Schemas["RunStepOut"];
type Stored = Schemas["ProcedureRunPart"];

export function useRun(key: string) {
  return useQuery({
    queryKey: ["run", key],
    queryFn: async () => unwrap(await api.GET("/api/runs/{key}", { params: { path: { key } } })),
  });
}

/** Writes one step of a run, or takes it back, leaving the others as they are. */
export function useWriteStep(run: Run | undefined) {
  const apply = useApply();
  return useMutation({
    mutationFn: async ({ id, entry }: { id: string; entry: Schemas["DonePart"] | null }) => {
      if (!run) return;
      const stored = run.run as unknown as Stored;
      const done = { ...stored.done };
      if (entry === null) delete done[id];
      else done[id] = entry;
      await apply.mutateAsync({ procedure_runs: [{ ...stored, done }] });
    },
  });
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
