import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export function useChoices() {
  return useQuery({
    queryKey: ["choices"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => unwrap(await api.GET("/api/choices")),
  });
}

export function useApply() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["FarmDocument"]) => unwrap(await api.POST("/api/farm", { body })),
    onSuccess: () => client.invalidateQueries(),
  });
}
