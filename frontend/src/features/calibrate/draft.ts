import { toInput, toServer, type UnitSystem } from "../../lib/units";
import type { Sample, SheetDraft } from "./queries";

/** A row of the sheet as it is typed: text, so that nothing typed is lost. */
export interface Typed {
  label: string;
  sensor: string;
  depth: string;
  soil: string;
  raw: string;
  tare: string;
  wet: string;
  dry: string;
  ring: string;
  stones: string;
  ovenC: string;
  ovenH: string;
  reference: string;
  leftOut: string;
}

export interface Sheet {
  key: string;
  name: string;
  block: string;
  rawUnit: SheetDraft["raw_unit"];
  on: string;
  note: string;
  rows: Typed[];
}

export const RAW_UNITS: SheetDraft["raw_unit"][] = ["count", "mV", "%", "m3/m3", "permittivity"];
const NUMBERS: (keyof Typed)[] = [
  "depth",
  "tare",
  "wet",
  "dry",
  "ring",
  "stones",
  "ovenC",
  "ovenH",
  "reference",
];

export const emptyRow = (like?: Typed): Typed => ({
  label: "",
  sensor: like?.sensor ?? "",
  depth: like?.depth ?? "",
  soil: like?.soil ?? "",
  raw: "",
  tare: like?.tare ?? "",
  wet: "",
  dry: "",
  ring: like?.ring ?? "100",
  stones: like?.stones ?? "0",
  ovenC: like?.ovenC ?? "105",
  ovenH: like?.ovenH ?? "24",
  reference: "",
  leftOut: "",
});

/** A number as typed, with a comma or a point; null when it is none. */
export function numberOf(text: string): number | null {
  const typed = text.trim().replace(",", ".");
  if (typed === "") return null;
  const value = Number(typed);
  return Number.isFinite(value) ? value : null;
}

/** Cells that hold something that is no number. */
export function badCells(row: Typed): (keyof Typed)[] {
  const bad = NUMBERS.filter((name) => row[name].trim() !== "" && numberOf(row[name]) === null);
  const raws = row.raw.split(/[\s;|]+/).filter(Boolean);
  return raws.some((text) => numberOf(text) === null) ? [...bad, "raw"] : bad;
}

/** A row as a sample; its depth was typed in the reader's unit, laboratory weights are grams everywhere. */
export function sampleOf(row: Typed, units: UnitSystem): Sample {
  const raw = row.raw.split(/[\s;|]+/).flatMap((text) => numberOf(text) ?? []);
  const depth = numberOf(row.depth);
  return {
    label: row.label,
    sensor: row.sensor || null,
    depth_cm: depth === null ? null : Number(toServer(depth, "soilDepth", units).toFixed(1)),
    soil: row.soil,
    raw,
    tare_g: numberOf(row.tare),
    wet_g: numberOf(row.wet),
    dry_g: numberOf(row.dry),
    ring_volume_cm3: numberOf(row.ring),
    stones_fraction: (numberOf(row.stones) ?? 0) / 100,
    oven_c: numberOf(row.ovenC),
    oven_h: numberOf(row.ovenH),
    reference_theta: percentOf(row.reference),
    left_out: row.leftOut,
  };
}

function percentOf(text: string): number | null {
  const value = numberOf(text);
  return value === null ? null : value / 100;
}

const text = (value: unknown) => (value === null || value === undefined ? "" : String(value));

/** A stored sheet as it can be typed on. */
export function sheetOf(body: Record<string, unknown>, units: UnitSystem): Sheet {
  const samples = (body.samples ?? []) as Record<string, unknown>[];
  return {
    key: text(body.key),
    name: text(body.name),
    block: text(body.block),
    rawUnit: body.raw_unit as Sheet["rawUnit"],
    on: text(body.on),
    note: text(body.note),
    rows: samples.map((s) => ({
      label: text(s.label),
      sensor: text(s.sensor),
      depth: typeof s.depth_cm === "number" ? toInput(s.depth_cm, "soilDepth", units) : "",
      soil: text(s.soil),
      raw: ((s.raw ?? []) as number[]).join(" "),
      tare: text(s.tare_g),
      wet: text(s.wet_g),
      dry: text(s.dry_g),
      ring: text(s.ring_volume_cm3),
      stones: text(Math.round(Number(s.stones_fraction ?? 0) * 1000) / 10),
      ovenC: text(s.oven_c),
      ovenH: text(s.oven_h),
      reference: s.reference_theta === null ? "" : text(Number(s.reference_theta) * 100),
      leftOut: text(s.left_out),
    })),
  };
}

/** Rows that have been begun. */
export const begun = (rows: Typed[]) =>
  rows.filter((r) => [r.raw, r.wet, r.dry, r.label].some((cell) => cell.trim() !== ""));

/** Samples whole enough to be stored, and how many of the begun rows are not. */
export function storable(rows: Typed[], units: UnitSystem): { samples: Sample[]; short: number } {
  const all = begun(rows).map((row) => sampleOf(row, units));
  const samples = all.filter(
    (s) => (s.raw ?? []).length > 0 && s.tare_g !== null && s.wet_g !== null && s.dry_g !== null,
  );
  return { samples, short: all.length - samples.length };
}
