import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../../api/client";

export function useRound(asOf: string | undefined) {
  return useQuery({
    queryKey: ["round", asOf],
    queryFn: async () => unwrap(await api.GET("/api/round", { params: { query: { as_of: asOf } } })),
    placeholderData: (before) => before,
  });
}

/** Water below the roots in the last week; it comes after the Round, which does not wait for it. */
export function useLosses(asOf: string | undefined) {
  return useQuery({
    queryKey: ["round", "losses", asOf],
    queryFn: async () => unwrap(await api.GET("/api/round/losses", { params: { query: { as_of: asOf } } })),
    placeholderData: (before) => before,
  });
}

/** The chosen block's Working: the block's own answer with hardly any readings. */
export function useWorking(key: string | undefined, asOf: string | undefined) {
  return useQuery({
    queryKey: ["block", key, asOf, 2],
    enabled: key !== undefined,
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}", {
          params: { path: { key: key ?? "" }, query: { as_of: asOf, days: 2 } },
        }),
      ),
  });
}
