import { useMutation, useQuery } from "@tanstack/react-query";
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
    mutationFn: async (body: Schemas["TubesIn"]) => unwrap(await api.POST("/api/tube-cuts", { body })).tubes,
  });
}
