import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export { useApply } from "../../app/records";
export type Bench = Schemas["BenchContent"];

export function useBench() {
  return useQuery({ queryKey: ["bench"], queryFn: async () => unwrap(await api.GET("/api/bench")) });
}

export function useProcedures() {
  return useQuery({
    queryKey: ["procedures"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => unwrap(await api.GET("/api/procedures")).procedures,
  });
}

export function useTubeCuts() {
  return useMutation({
    mutationFn: async (body: Schemas["TubesIn"]) => unwrap(await api.POST("/api/tube-cuts", { body })),
  });
}

export function useBenchPractice() {
  return useQuery({
    queryKey: ["bench-practice"],
    queryFn: async () => unwrap(await api.GET("/api/bench/practice")),
  });
}

export function usePower() {
  return useMutation({
    mutationFn: async (body: Schemas["PowerIn"]) => unwrap(await api.POST("/api/bench/power", { body })),
  });
}

export function useSheets() {
  return useQuery({
    queryKey: ["sample-sheets"],
    queryFn: async () => unwrap(await api.GET("/api/sample-sheets")),
  });
}

export function useVersions() {
  return useQuery({
    queryKey: ["calibrations"],
    queryFn: async () => unwrap(await api.GET("/api/calibrations")),
  });
}

/** Takes a calibration back, or brings it back. */
export function useWithdrawal() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, back }: { id: number; back: boolean }) => {
      const params = { path: { id } };
      return back
        ? unwrap(await api.POST("/api/calibrations/{id}/restore", { params }))
        : unwrap(await api.POST("/api/calibrations/{id}/withdraw", { params }));
    },
    onSuccess: () => client.invalidateQueries(),
  });
}
