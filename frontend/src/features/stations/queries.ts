import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "../../api/client";

export type Spot = Schemas["SpotOut"];
export { useStations } from "../../app/places";
export { useApply } from "../../app/records";

export type Sheet = Schemas["StationSheet"];
export type SensorContent = Schemas["SensorPageContent"];
export type Fault = Schemas["FaultOut"];

export function useSensor(block: string, station: string, sensor: string, days: number) {
  return useQuery({
    queryKey: ["sensor", block, station, sensor, days],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.GET("/api/stations/{block}/{station}/sensors/{sensor}", {
          params: { path: { block, station, sensor }, query: { days } },
        }),
      ),
  });
}

export type Gateway = Schemas["GatewayOut"];

export function useGateways() {
  return useQuery({
    queryKey: ["gateways"],
    queryFn: async () => unwrap(await api.GET("/api/gateways")).gateways,
  });
}

export function useMakeGateway() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (key: string) => unwrap(await api.POST("/api/gateways", { body: { key } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["gateways"] }),
  });
}

export function useRevokeGateway() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (key: string) =>
      unwrap(await api.DELETE("/api/gateways/{key}", { params: { path: { key } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["gateways"] }),
  });
}

interface Decision {
  id: number;
  verdict: "" | "accepted" | "overruled";
  note: string;
  who: string;
}

export function useDecide(kind: "faults" | "suspicions") {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, ...body }: Decision) => {
      const params = { path: { id } };
      if (kind === "faults") return unwrap(await api.POST("/api/faults/{id}/verdict", { params, body }));
      return unwrap(await api.POST("/api/suspicions/{id}/verdict", { params, body }));
    },
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useStation(block: string, station: string) {
  return useQuery({
    queryKey: ["station", block, station],
    queryFn: async () =>
      unwrap(await api.GET("/api/stations/{block}/{station}", { params: { path: { block, station } } })),
  });
}

export function useProcedures() {
  return useQuery({
    queryKey: ["procedures"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => unwrap(await api.GET("/api/procedures")).procedures,
  });
}

export function useSiting(key: string) {
  return useQuery({
    queryKey: ["siting", key],
    queryFn: async () => unwrap(await api.GET("/api/blocks/{key}/siting", { params: { path: { key } } })),
  });
}

export function useInstruments(key: string) {
  return useQuery({
    queryKey: ["instruments", key],
    queryFn: async () =>
      unwrap(await api.GET("/api/blocks/{key}/instruments", { params: { path: { key } } })),
  });
}

export function useBench() {
  return useQuery({ queryKey: ["bench"], queryFn: async () => unwrap(await api.GET("/api/bench")) });
}

export function useChannelCheck(key: string) {
  return useQuery({
    queryKey: ["channel-check", key],
    queryFn: async () => unwrap(await api.GET("/api/channel-checks/{key}", { params: { path: { key } } })),
  });
}

export function useSwap(key: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (withReadings: boolean) =>
      unwrap(
        await api.POST("/api/channel-checks/{key}/swap", {
          params: { path: { key } },
          body: { with_readings: withReadings },
        }),
      ),
    onSuccess: () => client.invalidateQueries(),
  });
}
