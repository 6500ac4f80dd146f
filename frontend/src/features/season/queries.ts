import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type Season = Schemas["SeasonAccountContent"];
export type FarmSeasons = Schemas["FarmSeasonsContent"];
export type Closing = Schemas["ClosingContent"];
export type FarmClosing = Schemas["FarmClosingContent"];
export type WaterUsed = Schemas["WaterUsedContent"];
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

/** How closing a block's season stands. */
export function useClosing(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["season-account", "closing", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/closing", {
          params: { path: { key }, query: asOf ? { as_of: asOf } : {} },
        }),
      ),
  });
}

/** How closing every block's season stands. */
export function useFarmClosing(asOf: string | undefined) {
  return useQuery({
    queryKey: ["season-account", "closing", asOf],
    queryFn: async () =>
      unwrap(await api.GET("/api/closing", { params: { query: asOf ? { as_of: asOf } : {} } })),
  });
}

/** Enters a block's next planting; everything shown is read again. */
export function useNextSeason(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["NextSeasonIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/next-season", { params: { path: { key } }, body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** Water used between two days; this year so far where they are empty. */
export function useWaterUsed(asOf: string | undefined, first: string, last: string) {
  const query = { ...(asOf ? { as_of: asOf } : {}), ...(first ? { first } : {}), ...(last ? { last } : {}) };
  return useQuery({
    queryKey: ["water-used", query],
    placeholderData: keepPreviousData,
    queryFn: async () => unwrap(await api.GET("/api/water-used", { params: { query } })),
  });
}

/** Takes back a planting or a harvest; everything shown is read again. */
export function useTakeBack(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["TakeBackIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/take-back", { params: { path: { key } }, body })),
    onSuccess: () => client.invalidateQueries(),
  });
}
