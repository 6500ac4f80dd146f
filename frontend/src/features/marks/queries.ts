import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type Marks = Schemas["MarksContent"];
export type Estimate = Schemas["EstimateOut"];
export type Pick = Partial<Schemas["MarkChoicePart"]> & Pick_;
interface Pick_ {
  mark: "full" | "refill" | "wilting";
  how: "theta" | "tension" | "fraction" | "depletion";
  value: number;
}

export function useMarks(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["marks", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/marks", {
          params: { path: { key }, query: { as_of: asOf ?? null } },
        }),
      ),
  });
}

export function useTension(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["tension", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/tension", {
          params: { path: { key }, query: { as_of: asOf ?? null } },
        }),
      ),
  });
}
