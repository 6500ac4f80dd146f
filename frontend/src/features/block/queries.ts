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

export function useLogSet(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["SetIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/sets", { params: { path: { key } }, body })),
    onSuccess: () => client.invalidateQueries(),
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
