import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type SheetDraft = Schemas["SheetDraft"];
export type SheetWorked = Schemas["SheetWorked"];
export type Sample = Schemas["SampleDraft"];
export type ApplyBody = Schemas["ApplyCalibration"];

export function useSheet(key: string | undefined) {
  return useQuery({
    queryKey: ["sample-sheet", key],
    enabled: key !== undefined,
    queryFn: async () =>
      unwrap(await api.GET("/api/sample-sheets/{key}", { params: { path: { key: key ?? "" } } })),
  });
}

/** What follows from a sheet while it is typed; the last answer stays until the next is there. */
export function useWorked(draft: SheetDraft) {
  return useQuery({
    queryKey: ["work-sheet", draft],
    queryFn: async () => unwrap(await api.POST("/api/sample-sheets/work", { body: draft })),
    placeholderData: (before) => before,
    staleTime: 60_000,
  });
}

export function useCalibrations(block: string | undefined) {
  return useQuery({
    queryKey: ["calibrations", block],
    queryFn: async () =>
      unwrap(await api.GET("/api/calibrations", { params: { query: { block: block ?? null } } })),
  });
}

export function useCompare(body: ApplyBody | null) {
  return useQuery({
    queryKey: ["compare", body],
    enabled: body !== null,
    queryFn: async () => {
      if (body === null) throw new Error("nothing to compare");
      return unwrap(await api.POST("/api/calibrations/compare", { body }));
    },
  });
}

export function useApplyCalibration() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: ApplyBody) => unwrap(await api.POST("/api/calibrations", { body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useWarmth(sensor: string | undefined) {
  const [block = "", station = "", key = ""] = (sensor ?? "").split("/");
  return useQuery({
    queryKey: ["warmth", sensor],
    enabled: sensor !== undefined,
    queryFn: async () =>
      unwrap(
        await api.GET("/api/stations/{block}/{station}/sensors/{sensor}/warmth", {
          params: { path: { block, station, sensor: key } },
        }),
      ),
  });
}

export function usePlan(block: string, withinMm: number) {
  return useQuery({
    queryKey: ["sampling-plan", block, withinMm],
    queryFn: async () =>
      unwrap(
        await api.GET("/api/blocks/{key}/sampling-plan", {
          params: { path: { key: block }, query: { within_mm: withinMm } },
        }),
      ),
    placeholderData: (before) => before,
    retry: false,
  });
}
