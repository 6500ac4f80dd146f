import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type Growth = Schemas["GrowthContent"];

export function useGrowth(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["growth", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/growth", {
          params: { path: { key }, query: { as_of: asOf ?? null } },
        }),
      ),
  });
}
