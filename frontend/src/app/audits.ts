import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../api/client";

export type BlockAudit = Schemas["BlockAuditContent"];
export type AuditedSet = Schemas["SetAuditOut"];
export type FarmAudit = Schemas["FarmAuditContent"];

/** A block's sets held against its probes. */
export function useBlockAudit(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["audit", key, asOf],
    queryFn: async ({ signal }) =>
      unwrap(
        await api.GET("/api/blocks/{key}/audit", {
          params: { path: { key }, query: { as_of: asOf } },
          signal,
        }),
      ),
  });
}

/** Blocks from which a past morning's Round does without the farm's audit: it is not kept, and takes seconds. */
const MANY = 40;

/** Every block's sets, for a Round; a past one of a large farm goes without. */
export function useRoundAudit(asOf: string | undefined, blocks: number) {
  return useFarmAudit(asOf, asOf === undefined || blocks <= MANY);
}

/** Every block's sets. */
export function useFarmAudit(asOf: string | undefined, enabled = true) {
  return useQuery({
    enabled,
    queryKey: ["farm-audit", asOf],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/api/audit", { params: { query: { as_of: asOf } }, signal })),
  });
}

/** What is picked from an audit; everything is asked for again after it. */
export function useAuditActs(key: string) {
  const client = useQueryClient();
  const path = { key };
  const after = { onSuccess: () => client.invalidateQueries() };
  return {
    pick: useMutation({
      mutationFn: async (body: Schemas["PickIn"]) =>
        unwrap(await api.POST("/api/blocks/{key}/audit/picks", { params: { path }, body })),
      ...after,
    }),
    rules: useMutation({
      mutationFn: async (body: Schemas["AuditRulesIn"]) =>
        unwrap(await api.POST("/api/blocks/{key}/audit/rules", { params: { path }, body })),
      ...after,
    }),
  };
}

/** "+ 5 %", "− 12 %". */
export function changeWords(factor: number): string {
  const percent = Math.round(100 * (factor - 1));
  return percent === 0 ? "0 %" : `${percent > 0 ? "+" : "−"} ${Math.abs(percent)} %`;
}
