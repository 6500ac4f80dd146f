import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, type Schemas, unwrap, uploadFile } from "../../api/client";

export type ImportFile = Schemas["FileOut"];
export type Plan = Schemas["ImportPlan"];
export type Job = Schemas["JobOut"];

export function useSensors() {
  return useQuery({ queryKey: ["sensors"], queryFn: async () => unwrap(await api.GET("/api/sensors")) });
}

export function useUpload() {
  return useMutation({ mutationFn: uploadFile });
}

/** The file with its rows taken another way. */
export async function takeAs(token: string, rows_hold: ImportFile["rows_hold"]): Promise<ImportFile> {
  const params = { path: { token }, query: { rows_hold } };
  return unwrap(await api.GET("/api/files/{token}", { params }));
}

/** The first rows as the plan reads them; runs again whenever the plan changes. */
export function usePreview(token: string, plan: Plan) {
  return useQuery({
    queryKey: ["preview", token, plan],
    enabled: plan.columns.length > 0,
    retry: false,
    queryFn: async () =>
      unwrap(await api.POST("/api/files/{token}/preview", { params: { path: { token } }, body: { plan } })),
  });
}

export function useRunImport(token: string) {
  return useMutation({
    mutationFn: async (body: Schemas["RunIn"]) =>
      unwrap(await api.POST("/api/files/{token}/import", { params: { path: { token } }, body })),
  });
}

/** Progress of a running import, asked for four times a second until it is over. */
export function useProgress(started: Job | undefined) {
  const client = useQueryClient();
  const job = useQuery({
    queryKey: ["job", started?.token],
    enabled: started !== undefined,
    refetchInterval: (query) => (query.state.data?.finished ? false : 250),
    queryFn: async () =>
      unwrap(
        await api.GET("/api/imports/running/{token}", { params: { path: { token: started?.token ?? "" } } }),
      ),
  });
  const done = job.data?.report?.status === "done";
  useEffect(() => {
    if (done) {
      for (const key of ["farm", "round", "block", "season", "past-imports", "sensors"]) {
        client.invalidateQueries({ queryKey: [key] });
      }
    }
  }, [done, client]);
  return job;
}

export function useUndoImport() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (id: number) =>
      unwrap(await api.DELETE("/api/imports/{id}", { params: { path: { id } } })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function usePastImports() {
  return useQuery({ queryKey: ["past-imports"], queryFn: async () => unwrap(await api.GET("/api/imports")) });
}
