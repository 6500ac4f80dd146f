import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";
import { useEntered } from "../records";

export function useLogSet(key: string) {
  const client = useQueryClient();
  const entered = useEntered();
  return useMutation({
    mutationFn: async (body: Schemas["SetIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/sets", { params: { path: { key } }, body })),
    onSuccess: (done) => {
      entered(done);
      return client.invalidateQueries();
    },
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
