import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export { useApply } from "../../app/records";

export function useChoices() {
  return useQuery({
    queryKey: ["choices"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => unwrap(await api.GET("/api/choices")),
  });
}

export function useLibrary() {
  return useQuery({
    queryKey: ["library"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => unwrap(await api.GET("/api/library")),
  });
}

export function useBlockSetup(key: string) {
  return useQuery({
    queryKey: ["block-setup", key],
    queryFn: async () => unwrap(await api.GET("/api/blocks/{key}/setup", { params: { path: { key } } })),
  });
}

const asked = { staleTime: Number.POSITIVE_INFINITY, retry: false, placeholderData: keepPreviousData };

export function useSoilCurves(body: Schemas["CurveIn"]) {
  return useQuery({
    ...asked,
    queryKey: ["soil-curves", body],
    queryFn: async () => unwrap(await api.POST("/api/soil-curves", { body })),
  });
}

export function useSystemFacts(body: Schemas["SystemFactsIn"]) {
  return useQuery({
    ...asked,
    queryKey: ["system-facts", body],
    queryFn: async () => unwrap(await api.POST("/api/system-facts", { body })),
  });
}

export function useOutlineFacts(body: Schemas["OutlineIn"]) {
  return useQuery({
    ...asked,
    enabled: body.outline.length > 2,
    queryKey: ["outline-facts", body],
    queryFn: async () => unwrap(await api.POST("/api/outline-facts", { body })),
  });
}

export function useUniformity(body: Schemas["UniformityIn"]) {
  return useQuery({
    ...asked,
    enabled: body.values.length > 0,
    queryKey: ["uniformity", body],
    queryFn: async () => unwrap(await api.POST("/api/uniformity", { body })),
  });
}

export function useWetted(body: Schemas["WettedIn"]) {
  return useQuery({
    ...asked,
    queryKey: ["wetted", body],
    queryFn: async () => unwrap(await api.POST("/api/wetted-share", { body })),
  });
}
