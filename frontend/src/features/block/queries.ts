import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export function useBlock(key: string, asOf: string | undefined, days: number) {
  return useQuery({
    queryKey: ["block", key, asOf, days],
    queryFn: async () =>
      unwrap(await api.GET("/api/blocks/{key}", { params: { path: { key }, query: { as_of: asOf, days } } })),
    placeholderData: (before) => (before?.advice.key === key ? before : undefined),
  });
}

/** The server's answer to changed entries; nothing is stored. */
export function useWhatIf(key: string, asOf: string | undefined, changes: Record<string, number>) {
  return useQuery({
    queryKey: ["what-if", key, asOf, changes],
    enabled: Object.keys(changes).length > 0,
    queryFn: async () =>
      unwrap(
        await api.POST("/api/blocks/{key}/what-if", {
          params: { path: { key } },
          body: { changes, as_of: asOf ?? null },
        }),
      ),
    placeholderData: (before) => before,
  });
}

export function useWetness(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["wetness", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/index", {
          params: { path: { key }, query: { as_of: asOf ?? null } },
        }),
      ),
  });
}

/** Wettings, uptake by depth and diagnoses. */
export function useProfile(key: string, asOf: string | undefined, days: number) {
  return useQuery({
    queryKey: ["profile", key, asOf, days],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/profile", {
          params: { path: { key }, query: { as_of: asOf, days } },
        }),
      ),
  });
}

/** Demand day by day. */
export function useLedger(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["ledger", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/ledger", {
          params: { path: { key }, query: { as_of: asOf ?? null } },
        }),
      ),
  });
}

/** Refill dates as they were called, and what came of them. */
export function useSkill(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["skill", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/skill", {
          params: { path: { key }, query: { as_of: asOf ?? null } },
        }),
      ),
  });
}

export function useRules(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["rules", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/rules", {
          params: { path: { key }, query: { as_of: asOf ?? null } },
        }),
      ),
  });
}

/** Rules, windows and their withdrawal; everything is asked anew after it. */
export function useRuling(key: string) {
  const client = useQueryClient();
  const path = { key };
  const after = { onSuccess: () => client.invalidateQueries() };
  return {
    rules: useMutation({
      mutationFn: async (body: Schemas["RulesIn"]) =>
        unwrap(await api.POST("/api/blocks/{key}/rules", { params: { path }, body })),
      ...after,
    }),
    window: useMutation({
      mutationFn: async (body: Schemas["WindowIn"]) =>
        unwrap(await api.POST("/api/blocks/{key}/windows", { params: { path }, body })),
      ...after,
    }),
    withdraw: useMutation({
      mutationFn: async (body: Schemas["WithdrawIn"]) =>
        unwrap(await api.POST("/api/blocks/{key}/withdraw", { params: { path }, body })),
      ...after,
    }),
  };
}

/** Names of a block's stages and what was seen of them. */
export function useStages(key: string) {
  return useQuery({
    queryKey: ["stages", key],
    queryFn: async () => unwrap(await api.GET("/api/blocks/{key}/stages", { params: { path: { key } } })),
  });
}
