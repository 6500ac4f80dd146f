import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";

/** Stations and outlines of the farm: used by every page with a map. */
export function useStations() {
  return useQuery({
    queryKey: ["stations"],
    queryFn: async () => unwrap(await api.GET("/api/stations")),
  });
}
