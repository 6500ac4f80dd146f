import "leaflet/dist/leaflet.css";
import type { LatLngBoundsExpression, LeafletMouseEvent } from "leaflet";
import { useEffect } from "react";
import {
  CircleMarker,
  MapContainer,
  Polygon,
  Polyline,
  ScaleControl,
  Tooltip,
  useMap,
  useMapEvents,
} from "react-leaflet";
import { useUnits } from "../app/farm";
import { labelPlaces, type Side } from "./labelPlaces";

export type LonLat = [number, number];
export interface MapOutline {
  key: string;
  name: string;
  corners: LonLat[];
  active?: boolean;
}
export interface MapPoint {
  key: string;
  name: string;
  at: LonLat;
  /** How it stands: a full disc is in use, a ring is not yet, a small ring is gone. */
  look: "full" | "ring" | "gone";
  /** Its number on a way round, drawn in its disc. */
  nth?: number | undefined;
}

interface FarmMapProps {
  outlines: MapOutline[];
  points?: MapPoint[];
  /** Corners being drawn, open. */
  drawing?: LonLat[];
  /** A way on foot, in the order walked. */
  way?: LonLat[];
  onPlace?: (at: LonLat) => void;
  onPick?: (key: string) => void;
  className?: string;
  label: string;
}

const turned = ([lon, lat]: LonLat): [number, number] => [lat, lon];

/** Blocks and stations where they lie, without any picture from outside: outlines, places and a scale. */
export function FarmMap({ outlines, points = [], drawing = [], way = [], label, ...rest }: FarmMapProps) {
  const units = useUnits();
  const span = spanOf([...outlines.flatMap((b) => b.corners)]);
  const beside = (p: MapPoint, share: number) =>
    points.some((o) => o !== p && apart(o.at, p.at) < share * span);
  const all = [...outlines.flatMap((o) => o.corners), ...points.map((p) => p.at), ...drawing];
  if (all.length === 0) return null;
  const onMap = drawnAt(all);
  const sides = labelPlaces(
    points.map((p) => ({ key: p.key, name: beside(p, SHOULDER) ? "" : p.name, ...onMap(p.at) })),
    outlines.filter((o) => o.name).map((o) => ({ key: o.key, name: o.name, ...onMap(nameAt(o, all)) })),
    SEEN_WIDE,
    SEEN_HIGH,
  );
  return (
    <section aria-label={label} className={`sheet relative z-0 overflow-hidden ${rest.className ?? "h-96"}`}>
      <MapContainer
        bounds={boundsOf(all)}
        attributionControl={false}
        zoomSnap={0.25}
        scrollWheelZoom
        maxZoom={22}
        className="h-full w-full bg-panel!"
      >
        <Fit count={outlines.length + points.length} all={all} />
        <Clicks onPlace={rest.onPlace} />
        {outlines.map((o) => (
          <Polygon
            key={`${o.key}-${o.active}`}
            positions={o.corners.map(turned)}
            pathOptions={{
              color: o.active ? "#0f4b52" : "#5c5546",
              weight: o.active ? 2.5 : 1.2,
              fillColor: "#efe6cf",
              fillOpacity: o.active ? 0.9 : 0.5,
              bubblingMouseEvents: true,
            }}
          />
        ))}
        {outlines
          .filter((o) => o.name)
          .map((o) => (
            <CircleMarker
              key={`name of ${o.key}`}
              center={topOf(o.corners)}
              radius={0.1}
              pathOptions={{ opacity: 0, fillOpacity: 0 }}
            >
              <Tooltip
                permanent
                direction={spanOf(o.corners) < 0.2 * spanOf(all) ? "top" : "bottom"}
                offset={[0, 2]}
                className="map-name"
              >
                {o.name}
              </Tooltip>
            </CircleMarker>
          ))}
        {way.length > 1 && (
          <Polyline
            positions={way.map(turned)}
            pathOptions={{ color: "#1e1b16", weight: 1.4, dashArray: "1 5", interactive: false }}
          />
        )}
        {drawing.length > 0 && (
          <Polyline
            positions={[...drawing, ...(drawing.length > 2 ? drawing.slice(0, 1) : [])].map(turned)}
            pathOptions={{ color: "#1e1b16", weight: 2, dashArray: "6 4" }}
          />
        )}
        {drawing.map((corner, i) => (
          <CircleMarker
            // biome-ignore lint/suspicious/noArrayIndexKey: corners have no other name
            key={i}
            center={turned(corner)}
            radius={4}
            pathOptions={{ color: "#1e1b16", fillColor: "#fffdf7", fillOpacity: 1, weight: 2 }}
          />
        ))}
        {points.map((p) => (
          <CircleMarker
            key={`${p.key}-${p.look}`}
            center={turned(p.at)}
            radius={p.look === "gone" || beside(p, SHOULDER) ? 4 : 7}
            pathOptions={{
              color: "#0f4b52",
              weight: 2,
              dashArray: p.look === "gone" ? "2 2" : undefined,
              fillColor: p.look === "full" ? "#0f4b52" : "#fffdf7",
              fillOpacity: 1,
            }}
            eventHandlers={{ click: () => rest.onPick?.(p.key) }}
          >
            <Tooltip
              key={sides.get(p.key) ?? "none"}
              permanent={sides.has(p.key)}
              direction={sides.get(p.key) ?? "right"}
              offset={OFFSETS[sides.get(p.key) ?? "right"]}
              className="map-place"
            >
              {p.name}
            </Tooltip>
          </CircleMarker>
        ))}
        {points
          .filter((p) => p.nth)
          .map((p) => (
            <CircleMarker
              key={`way ${p.key}`}
              center={turned(p.at)}
              radius={NUMBERED}
              pathOptions={{ color: "#1e1b16", weight: 1.5, fillColor: "#1e1b16", fillOpacity: 1 }}
              eventHandlers={{ click: () => rest.onPick?.(p.key) }}
            >
              <Tooltip permanent direction="center" className="map-number">
                {p.nth}
              </Tooltip>
            </CircleMarker>
          ))}
        <ScaleControl imperial={units === "us"} metric={units !== "us"} />
      </MapContainer>
    </section>
  );
}

const NUMBERED = 9; // px, a disc a number of two figures can be read in
const SHOULDER = 0.025; // share of the farm within which places stand shoulder to shoulder
const SEEN_WIDE = 600; // px, about as wide as the map is on the pages it stands on
const SEEN_HIGH = 480;
const OFFSETS: Record<Side, [number, number]> = {
  right: [8, 0],
  left: [-8, 0],
  top: [0, -6],
  bottom: [0, 6],
};

/** Where a place comes to lie on the map as it is first seen [px]. */
function drawnAt(all: LonLat[]): (at: LonLat) => { x: number; y: number } {
  const [south, west, north, east] = (
    boundsOf(all) as [[number, number], [number, number]]
  ).flat() as number[];
  const [s = 0, w = 0, n = 1, e = 1] = [south, west, north, east];
  const shrink = Math.cos((((s + n) / 2) * Math.PI) / 180);
  const scale = Math.min(SEEN_WIDE / ((e - w) * shrink || 1), SEEN_HIGH / (n - s || 1));
  return ([lon, lat]) => ({
    x: SEEN_WIDE / 2 + (lon - (w + e) / 2) * shrink * scale,
    y: SEEN_HIGH / 2 - (lat - (s + n) / 2) * scale,
  });
}

/** Where a block's name stands: above a small block, within a large one. */
function nameAt(outline: MapOutline, all: LonLat[]): LonLat {
  const [lat, lon] = topOf(outline.corners);
  const small = spanOf(outline.corners) < 0.2 * spanOf(all);
  return [lon, small ? lat : lat - 0.045 * spanOf(all)];
}

const apart = (a: LonLat, b: LonLat) => Math.hypot(a[0] - b[0], a[1] - b[1]);

/** Diagonal of a set of places, in degrees: only to compare lengths on the map. */
function spanOf(places: LonLat[]): number {
  const lons = places.map((p) => p[0]);
  const lats = places.map((p) => p[1]);
  return Math.hypot(Math.max(...lons) - Math.min(...lons), Math.max(...lats) - Math.min(...lats));
}

/** Middle of a block's upper edge, where its name stands. */
function topOf(corners: LonLat[]): [number, number] {
  const lons = corners.map((p) => p[0]);
  const middle = (Math.min(...lons) + Math.max(...lons)) / 2;
  const top = corners
    .map((a, i) => [a, corners[(i + 1) % corners.length] ?? a] as const)
    .filter(([a, b]) => Math.min(a[0], b[0]) <= middle && Math.max(a[0], b[0]) >= middle && a[0] !== b[0])
    .map(([a, b]) => a[1] + ((middle - a[0]) / (b[0] - a[0])) * (b[1] - a[1]));
  return [Math.max(...top, Math.min(...corners.map((p) => p[1]))), middle];
}

function boundsOf(all: LonLat[]): LatLngBoundsExpression {
  const lons = all.map((p) => p[0]);
  const lats = all.map((p) => p[1]);
  const pad = 0.0008;
  return [
    [Math.min(...lats) - pad, Math.min(...lons) - pad],
    [Math.max(...lats) + pad, Math.max(...lons) + pad],
  ];
}

/** Shows everything again when something is added; drawing does not move the map. */
function Fit({ count, all }: { count: number; all: LonLat[] }) {
  const map = useMap();
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new outline or point moves the map
  useEffect(() => {
    map.fitBounds(boundsOf(all));
  }, [count, map]);
  return null;
}

function Clicks({ onPlace }: { onPlace: ((at: LonLat) => void) | undefined }) {
  useMapEvents({
    click: (event: LeafletMouseEvent) => onPlace?.([event.latlng.lng, event.latlng.lat]),
  });
  return null;
}
