import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export function useLogSet(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["SetIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/sets", { params: { path: { key } }, body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** A hold or a set ordered over the advice. */
export function useOrder(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["OrderIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/orders", { params: { path: { key } }, body })),
    onSuccess: () => client.invalidateQueries(),
  });
}
