import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type Season = Schemas["SeasonAccountContent"];
export type FarmSeasons = Schemas["FarmSeasonsContent"];
export type SeasonRow = Schemas["SeasonRowOut"];

/** A block's season, over the planting in the ground or one that is named ("" names the block's own crop). */
export function useSeasonAccount(key: string, asOf: string | undefined, planting: string | undefined) {
  return useQuery({
    queryKey: ["season-account", key, asOf, planting],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/season", {
          params: {
            path: { key },
            query: { ...(asOf ? { as_of: asOf } : {}), ...(planting === undefined ? {} : { planting }) },
          },
        }),
      ),
  });
}

/** Every planting of the farm, and what stands added up. */
export function useFarmSeasons(asOf: string | undefined) {
  return useQuery({
    queryKey: ["season-account", "farm", asOf],
    queryFn: async () =>
      unwrap(await api.GET("/api/seasons", { params: { query: asOf ? { as_of: asOf } : {} } })),
  });
}
