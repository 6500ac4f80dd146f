import { useQueries, useQuery } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type Season = Schemas["SeasonAccountContent"];

function asked(key: string, asOf: string | undefined, planting: string | undefined) {
  return {
    queryKey: ["season-account", key, asOf, planting],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/season", {
          params: {
            path: { key },
            query: { ...(asOf ? { as_of: asOf } : {}), ...(planting ? { planting } : {}) },
          },
        }),
      ),
  };
}

/** A block's season, over the planting in the ground or one that is named. */
export function useSeasonAccount(key: string, asOf: string | undefined, planting: string | undefined) {
  return useQuery(asked(key, asOf, planting));
}

/** The seasons of several blocks, each as it comes in. */
export function useSeasons(keys: string[], asOf: string | undefined) {
  return useQueries({ queries: keys.map((key) => asked(key, asOf, undefined)) });
}
