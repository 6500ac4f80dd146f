import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { api, type Schemas, unwrap } from "../../api/client";

export type Plan = Schemas["PlanContent"];
export type Check = Schemas["CheckOut"];
type Place = Schemas["PlaceIn"];

const FRESH_MS = 60_000;
/** How long a plan will do where it only tells what finds no place: looking for the best one takes seconds. */
export const SEEN_MS = 900_000;

export function usePlan(
  asOf: string | undefined,
  days: number,
  quick: boolean,
  { enabled = true, staleTime = FRESH_MS } = {},
) {
  return useQuery({
    enabled,
    queryKey: ["plan", asOf, days, quick],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/api/plan", { params: { query: { as_of: asOf, days, quick } }, signal })),
    staleTime,
    refetchOnWindowFocus: false,
  });
}

/** What sets break where somebody has moved them; asked only while something is moved. */
export function useCheck(plan: string | undefined, sets: Place[]) {
  return useQuery({
    queryKey: ["plan-check", plan, sets],
    enabled: plan !== undefined && sets.length > 0,
    queryFn: async ({ signal }) =>
      unwrap(await api.POST("/api/plan/check", { body: { plan: plan ?? "", sets }, signal })),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before) => before,
    retry: false,
  });
}

export function useTonight(asOf: string | undefined) {
  return useQuery({
    queryKey: ["tonight", asOf],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/api/tonight", { params: { query: { as_of: asOf } }, signal })),
    refetchInterval: asOf ? false : 60_000,
  });
}

export function useWater(asOf?: string) {
  return useQuery({
    queryKey: ["water", asOf],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/api/water", { params: { query: { as_of: asOf } }, signal })),
  });
}

/** What changes the plan: after each, everything that hangs on it is asked for again. */
export function usePlanActs() {
  const client = useQueryClient();
  const again = useCallback(
    () =>
      Promise.all(
        ["plan", "tonight", "water", "round"].map((name) => client.invalidateQueries({ queryKey: [name] })),
      ),
    [client],
  );
  return {
    again,
    approve: async (plan: string, days: number, sets: Place[]) => {
      try {
        unwrap(await api.POST("/api/plan/approve", { body: { plan, days, sets } }));
      } finally {
        await again();
      }
    },
    change: async (key: string, body: Partial<Schemas["ChangeIn"]>) => {
      try {
        unwrap(
          await api.POST("/api/plan/sets/{key}", {
            params: { path: { key } },
            body: { withdraw: false, note: "", ...body },
          }),
        );
      } finally {
        await again();
      }
    },
    arm: async (supply: string, armed: boolean, cautionsRead: boolean) => {
      unwrap(
        await api.POST("/api/supplies/{key}/arm", {
          params: { path: { key: supply } },
          body: { armed, cautions_read: cautionsRead },
        }),
      );
      await again();
    },
    stopAll: async () => {
      const said = unwrap(await api.POST("/api/stop-all"));
      await again();
      return said.not_reached;
    },
  };
}
