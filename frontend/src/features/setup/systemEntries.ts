import type { Schemas } from "../../api/client";
import type { UnitSystem } from "../../lib/units";
import { type Entry, type TypedDraft, valuesOf } from "../../ui/entries";

export type SystemKind = Schemas["SystemPart"]["kind"];

export const KINDS: { value: SystemKind; label: string }[] = [
  { value: "drip", label: "drip" },
  { value: "buried drip", label: "buried drip" },
  { value: "micro", label: "micro-sprinkler" },
  { value: "sprinkler", label: "sprinkler, solid set" },
  { value: "pivot", label: "centre pivot" },
  { value: "furrow", label: "furrow" },
  { value: "border", label: "border strips" },
];

const EFFICIENCY: Entry = { name: "efficiency_fraction", label: "Efficiency", percent: true };

const outlet = (word: string): Entry[] => [
  EFFICIENCY,
  { name: "flow_l_h", label: `Flow of one ${word}`, quantity: "flow" },
  { name: "spacing_m", label: `Between ${word}s`, quantity: "spacing" },
  { name: "line_spacing_m", label: "Between rows", quantity: "spacing" },
  { name: "per_point", label: "Lines a row", hint: "2 for two lines a row" },
  { name: "rate_mm_h", label: "Measured rate", quantity: "rate", hint: "instead of the outlets" },
];

/** Entries of the system itself, by kind. */
export function ownEntries(kind: SystemKind): Entry[] {
  if (kind === "pivot" || kind === "furrow" || kind === "border") return [EFFICIENCY];
  return outlet(kind === "sprinkler" ? "sprinkler" : "emitter");
}

const PIVOT: Entry[] = [
  { name: "length_m", label: "Length", quantity: "length" },
  { name: "flow_m3_h", label: "Flow", quantity: "supplyFlow" },
  { name: "turn_h", label: "Hours a turn at 100 %" },
  {
    name: "depth_at_full_mm",
    label: "Measured depth at 100 %",
    quantity: "depth",
    hint: "else from flow and area",
  },
  { name: "first_excluded_m", label: "Inner ring left dry", quantity: "length", hint: "0 if empty" },
  { name: "end_excluded_m", label: "Outer ring left dry", quantity: "length", hint: "0 if empty" },
];

const furrows = (strip: boolean): Entry[] => [
  { name: "inflow_l_s", label: `Inflow of one ${strip ? "strip" : "furrow"}`, quantity: "inflow" },
  { name: "count", label: `${strip ? "Strips" : "Furrows"} run together` },
  { name: "spacing_m", label: strip ? "Width of a strip" : "Between furrows", quantity: "spacing" },
  { name: "length_m", label: "Length of the run", quantity: "length" },
  {
    name: "tailwater_fraction",
    label: "Tailwater",
    percent: true,
    hint: "share that runs off the end; 0 if empty",
  },
];

/** Entries of what moves or flows, with the name they stand under; none for outlets on a grid. */
export function movingEntries(kind: SystemKind): { under: "pivot" | "furrows"; entries: Entry[] } | null {
  if (kind === "pivot") return { under: "pivot", entries: PIVOT };
  if (kind === "furrow" || kind === "border")
    return { under: "furrows", entries: furrows(kind === "border") };
  return null;
}

const withoutEmpty = (values: Record<string, unknown>, keep: string[] = []) =>
  Object.fromEntries(Object.entries(values).filter(([name, v]) => v !== null || keep.includes(name)));

/** A system of the farm document from what was typed. */
export function systemPart(
  base: { key: string; name: string; kind: SystemKind },
  own: TypedDraft,
  moving: TypedDraft,
  units: UnitSystem,
): Schemas["SystemPart"] {
  const more = movingEntries(base.kind);
  const values = withoutEmpty(valuesOf(own, ownEntries(base.kind), units), [
    "rate_mm_h",
    "efficiency_fraction",
  ]);
  return {
    ...base,
    ...values,
    ...(more ? { [more.under]: withoutEmpty(valuesOf(moving, more.entries, units)) } : {}),
  } as Schemas["SystemPart"];
}
