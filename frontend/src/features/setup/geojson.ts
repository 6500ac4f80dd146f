import type { LonLat } from "../../charts/FarmMap";

type Json = Record<string, unknown>;

/** Outer ring of the first polygon in GeoJSON text, open; throws with what is wrong. */
export function ringFromGeoJson(text: string): LonLat[] {
  let json: Json;
  try {
    json = JSON.parse(text) as Json;
  } catch {
    throw new Error("This is not JSON.");
  }
  const geometry = polygonIn(json);
  if (!geometry) throw new Error("There is no Polygon in this file.");
  const ring =
    (geometry.type === "MultiPolygon"
      ? (geometry.coordinates as LonLat[][][])[0]?.[0]
      : (geometry.coordinates as LonLat[][])[0]) ?? [];
  const corners = ring.map(([lon, lat]) => [Number(lon), Number(lat)] as LonLat);
  const first = corners[0];
  const last = corners[corners.length - 1];
  if (first && last && corners.length > 1 && first[0] === last[0] && first[1] === last[1]) corners.pop();
  return corners;
}

function polygonIn(json: Json): Json | null {
  if (json.type === "Polygon" || json.type === "MultiPolygon") return json;
  if (json.type === "Feature" && json.geometry) return polygonIn(json.geometry as Json);
  if (json.type === "FeatureCollection") {
    for (const feature of (json.features ?? []) as Json[]) {
      const found = polygonIn(feature);
      if (found) return found;
    }
  }
  return null;
}

/** Corners from lines of "longitude latitude" or "longitude, latitude". */
export function cornersFromText(text: string): LonLat[] {
  return text
    .split(/\r?\n/)
    .map((line) =>
      line
        .trim()
        .split(/[\s,;]+/)
        .map(Number),
    )
    .filter((pair) => pair.length >= 2 && pair.every(Number.isFinite))
    .map(([lon = 0, lat = 0]) => [lon, lat]);
}

/** A ring as GeoJSON text. */
export function geoJsonOf(name: string, corners: LonLat[]): string {
  const ring = [...corners, ...corners.slice(0, 1)];
  return JSON.stringify({
    type: "Feature",
    properties: { name },
    geometry: { type: "Polygon", coordinates: [ring] },
  });
}
