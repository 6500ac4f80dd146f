import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
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

export type Nodes = Schemas["NodesContent"];
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

/** Nodes of a block: when each was last heard, what it missed, its gateway's battery and signal. */
export function useNodes(key: string, asOf: string | undefined) {
  return useQuery({
    queryKey: ["block-map", "nodes", key, asOf],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/nodes", {
          params: { path: { key }, query: asOf ? { as_of: asOf } : {} },
        }),
      ),
  });
}

/** Adds nodes from a table or GeoJSON; everything shown is read again. */
export function useAddNodes(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["NodesIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/nodes", { params: { path: { key } }, body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** Keeps zones or soil zones of a block from today on; everything shown is read again. */
export function useKeepZones(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["AreasIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/zones", { params: { path: { key } }, body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** Enters one step of the season's end on many nodes. */
export function useRefurbish(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["RefurbishIn"]) =>
      unwrap(await api.POST("/api/blocks/{key}/nodes/season-end", { params: { path: { key } }, body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export type FarmFromAbove = Schemas["FarmMapContent"];

/** The farm from above: every block with what its nodes tell. */
export function useFarmMap(asOf: string | undefined, what: What) {
  return useQuery({
    queryKey: ["farm-map", asOf, what],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(await api.GET("/api/map", { params: { query: { what, ...(asOf ? { as_of: asOf } : {}) } } })),
  });
}
