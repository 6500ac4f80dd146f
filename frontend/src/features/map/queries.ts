import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type BlockMap = Schemas["MapContent"];
export type Ground = Schemas["GroundOut"];
export type What = BlockMap["what"];

/** A block between its stations: its map with the doubt, or why there is none. */
export function useBlockMap(key: string, asOf: string | undefined, what: What) {
  return useQuery({
    queryKey: ["block-map", key, asOf, what],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/map", {
          params: { path: { key }, query: { what, ...(asOf ? { as_of: asOf } : {}) } },
        }),
      ),
  });
}

export type Zones = Schemas["ZonesContent"];

/** Zones of a block that lie apart for good, and what to give where. */
export function useZones(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["block-map", "zones", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/zones", {
          params: { path: { key }, query: asOf ? { as_of: asOf } : {} },
        }),
      ),
  });
}
