import { useState } from "react";
import type { Schemas } from "../../api/client";
import { say } from "../../lib/words";
import type { BlockMap, Zones } from "./queries";

type Corner = Schemas["CornerOut"];

/** A zone as it is being drawn; without rings it is the rest of the block. */
export interface DraftZone {
  name: string;
  rings: Corner[][];
  shift: string;
  station: string;
  accepted: string;
}

export const REST: DraftZone = {
  name: say`rest of the block`,
  rings: [],
  shift: "",
  station: "",
  accepted: "",
};

/** The zones as a GeoJSON FeatureCollection, metres turned into degrees by the map's plane. */
export function featuresOf(zones: DraftZone[], plane: BlockMap["plane"]): string {
  const degrees = (c: Corner) => [
    Number((plane.longitude + c.x_m / plane.east_m).toFixed(7)),
    Number((plane.latitude + c.y_m / plane.north_m).toFixed(7)),
  ];
  const ring = (corners: Corner[]) => [...corners, ...corners.slice(0, 1)].map(degrees);
  return JSON.stringify({
    type: "FeatureCollection",
    features: zones.map((z) => ({
      type: "Feature",
      properties: {
        name: z.name,
        ...(z.shift ? { shift: z.shift } : {}),
        ...(z.station ? { station: z.station, accepted: z.accepted } : {}),
      },
      geometry: z.rings.length
        ? { type: "MultiPolygon", coordinates: z.rings.map((one) => [ring(one)]) }
        : null,
    })),
  });
}

/** What is kept now as a draft to be changed; the rest of the block alone where nothing is. */
export function draftOf(map: BlockMap, zones: Zones): DraftZone[] {
  if (!zones.kept) return [REST];
  return map.zones.map((area, n) => ({
    name: area.name,
    rings: area.rings,
    shift: zones.zones[n]?.shift ?? "",
    station: "",
    accepted: "",
  }));
}

export interface Drafting {
  zones: DraftZone[] | undefined;
  corners: Corner[] | undefined;
  begin: (zones: DraftZone[]) => void;
  change: (number: number, part: Partial<DraftZone>) => void;
  drop: (number: number) => void;
  pick: () => void;
  add: (corner: Corner) => void;
  back: () => void;
  close: () => void;
  stop: () => void;
}

/** Zones on their way: those there are, and the ring that is being drawn. */
export function useDrafting(): Drafting {
  const [zones, setZones] = useState<DraftZone[]>();
  const [corners, setCorners] = useState<Corner[]>();
  return {
    zones,
    corners,
    begin: setZones,
    change: (number, part) => setZones((now) => now?.map((z, n) => (n === number ? { ...z, ...part } : z))),
    drop: (number) => setZones((now) => now?.filter((_, n) => n !== number)),
    pick: () => setCorners([]),
    add: (corner) => setCorners((now) => now && [...now, corner]),
    back: () => setCorners((now) => now?.slice(0, -1)),
    close: () => {
      if (corners && corners.length > 2)
        setZones((now) => {
          const drawn = (now ?? []).filter((z) => z.rings.length).length;
          return [{ ...REST, name: say`zone ${drawn + 1}`, rings: [corners] }, ...(now ?? [])];
        });
      setCorners(undefined);
    },
    stop: () => {
      setZones(undefined);
      setCorners(undefined);
    },
  };
}
