import type { PathError, Schemas } from "../../api/client";
import { toServer, type UnitSystem } from "../../lib/units";
import { type TypedDraft, valuesOf } from "../../ui/entries";
import { movingEntries, type SystemKind } from "./systemEntries";

export type FarmDocument = Schemas["FarmDocument"];

export interface HorizonDraft {
  id: number;
  bottom: string;
  texture: string;
  stones: string;
}

/** What the person has typed, as typed; units are those the farm shows. */
export interface Draft {
  farmName: string;
  timeZone: string;
  units: UnitSystem;
  name: string;
  crop: string;
  area: string;
  rootDepth: string;
  allowable: string;
  horizons: HorizonDraft[];
  organic: string;
  kind: SystemKind;
  /** What a pivot, furrows or strips need beside. */
  moving: TypedDraft;
  efficiency: string;
  flow: string;
  spacing: string;
  lineSpacing: string;
  wetted: string;
  minSet: string;
  maxSet: string;
  station: string;
  depths: string;
  rawUnit: string;
}

/** A key for a name: "Norte 1" becomes "norte-1". */
export function keyOf(name: string): string {
  return name
    .normalize("NFD")
    .replace(/[\u0300-\u036f]/g, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 40);
}

/** A typed number; null when nothing was typed, NaN (sent as text, refused by the server) when it is none. */
function number(text: string): number | null {
  if (text.trim() === "") return null;
  return Number(text.trim().replace(",", "."));
}

const percentOf = (text: string) => {
  const value = number(text);
  return value === null ? null : value / 100;
};

/** The part of a farm document that creates this block, with everything it needs. */
export function documentOf(draft: Draft, newFarm: boolean): FarmDocument {
  const { units } = draft;
  const key = keyOf(draft.name);
  const given = (text: string, name: Parameters<typeof toServer>[1]) => {
    const value = number(text);
    return value === null ? null : toServer(value, name, units);
  };
  let top = 0;
  const horizons = draft.horizons.map((h) => {
    const bottom = given(h.bottom, "soilDepth") ?? 0;
    const horizon = {
      top_cm: top,
      bottom_cm: bottom,
      texture: h.texture,
      stones_fraction: percentOf(h.stones) ?? 0,
      organic_matter_pct: number(draft.organic) ?? 1,
    };
    top = bottom;
    return horizon;
  });
  const block = {
    key,
    name: draft.name,
    area_ha: given(draft.area, "area") ?? 0,
    crop: draft.crop,
    soil: key,
    system: key,
    root_depth_cm: given(draft.rootDepth, "soilDepth"),
    allowable_depletion_fraction: percentOf(draft.allowable),
    wetted_fraction: percentOf(draft.wetted),
    min_set_mm: given(draft.minSet, "depth"),
    max_set_mm: given(draft.maxSet, "depth"),
    stations: [
      {
        key: keyOf(draft.station) || "a",
        name: draft.station,
        sensors: draft.depths
          .split(/[\s;]+|,(?=\s|\d{2})/)
          .filter((d) => d.trim() !== "")
          .map((d) => ({ depth_cm: given(d, "soilDepth") ?? 0, raw_unit: draft.rawUnit })),
      },
    ],
  };
  const moving = movingEntries(draft.kind);
  const outlets = moving
    ? { [moving.under]: withoutEmpty(valuesOf(draft.moving, moving.entries, units)) }
    : {
        flow_l_h: given(draft.flow, "flow"),
        spacing_m: given(draft.spacing, "spacing"),
        line_spacing_m: given(draft.lineSpacing, "spacing"),
      };
  const system = {
    key,
    name: `${draft.kind} of ${draft.name}`,
    kind: draft.kind,
    efficiency_fraction: percentOf(draft.efficiency) ?? 0,
    ...outlets,
  };
  return {
    embalse: 1,
    farm: newFarm ? { name: draft.farmName, time_zone: draft.timeZone, units } : null,
    soils: [{ key, name: `soil of ${draft.name}`, horizons }],
    systems: [system],
    blocks: [block],
  } as FarmDocument;
}

const withoutEmpty = (values: Record<string, unknown>) =>
  Object.fromEntries(Object.entries(values).filter(([, v]) => v !== null));

const FIELDS: [RegExp, keyof Draft][] = [
  [/^farm\.name/, "farmName"],
  [/^farm\.time_zone/, "timeZone"],
  [/^soils.*organic_matter_pct/, "organic"],
  [/^systems.*efficiency/, "efficiency"],
  [/^systems.*line_spacing/, "lineSpacing"],
  [/^systems.*spacing/, "spacing"],
  [/^systems.*(flow|rate)/, "flow"],
  [/^blocks\[\d+\]\.(name|key)$/, "name"],
  [/^blocks.*crop/, "crop"],
  [/^blocks.*area_ha/, "area"],
  [/^blocks.*root_depth/, "rootDepth"],
  [/^blocks.*allowable/, "allowable"],
  [/^blocks.*wetted/, "wetted"],
  [/^blocks.*min_set/, "minSet"],
  [/^blocks.*max_set/, "maxSet"],
  [/^blocks.*stations\[\d+\]\.(name|key)$/, "station"],
  [/^blocks.*stations/, "depths"],
];

/** The server's refusals under the fields they belong to; soil refusals under "horizons", the rest under "". */
export function refusalsByField(errors: PathError[]): Record<string, string> {
  const found: Record<string, string> = {};
  for (const error of errors) {
    const inner = /^systems\[\d+\]\.(?:pivot|furrows)\.(\w+)$/.exec(error.path)?.[1];
    if (inner) {
      found[inner] = error.reason;
      continue;
    }
    const field = FIELDS.find(([pattern]) => pattern.test(error.path))?.[1];
    const name = field ?? (error.path.startsWith("soils") ? "horizons" : "");
    const where = field || name === "horizons" ? "" : `${error.path}: `;
    found[name] = [found[name], where + error.reason].filter(Boolean).join("; ");
  }
  return found;
}
