import type { Schemas } from "../../api/client";
import type { UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { type Entry, type TypedDraft, valuesOf } from "../../ui/entries";

export type SystemKind = Schemas["SystemPart"]["kind"];

export const KINDS: { value: SystemKind; label: string }[] = [
  { value: "drip", label: say`drip` },
  { value: "buried drip", label: say`buried drip` },
  { value: "micro", label: say`micro-sprinkler` },
  { value: "sprinkler", label: say`sprinkler, solid set` },
  { value: "pivot", label: say`centre pivot` },
  { value: "furrow", label: say`furrow` },
  { value: "border", label: say`border strips` },
];

const EFFICIENCY: Entry = { name: "efficiency_fraction", label: say`Efficiency`, percent: true };

const outlet = (word: string): Entry[] => [
  EFFICIENCY,
  { name: "flow_l_h", label: say`Flow of one ${word}`, quantity: "flow" },
  { name: "spacing_m", label: say`Between ${word}s`, quantity: "spacing" },
  { name: "line_spacing_m", label: say`Between rows`, quantity: "spacing" },
  { name: "per_point", label: say`Lines a row`, hint: say`2 for two lines a row` },
  { name: "rate_mm_h", label: say`Measured rate`, quantity: "rate", hint: say`instead of the outlets` },
];

/** Entries of the system itself, by kind. */
export function ownEntries(kind: SystemKind): Entry[] {
  if (kind === "pivot" || kind === "furrow" || kind === "border") return [EFFICIENCY];
  return outlet(kind === "sprinkler" ? "sprinkler" : "emitter");
}

const PIVOT: Entry[] = [
  { name: "length_m", label: say`Length`, quantity: "length" },
  { name: "flow_m3_h", label: say`Flow`, quantity: "supplyFlow" },
  { name: "turn_h", label: say`Hours a turn at 100 %` },
  {
    name: "depth_at_full_mm",
    label: say`Measured depth at 100 %`,
    quantity: "depth",
    hint: say`else from flow and area`,
  },
  { name: "first_excluded_m", label: say`Inner ring left dry`, quantity: "length", hint: say`0 if empty` },
  { name: "end_excluded_m", label: say`Outer ring left dry`, quantity: "length", hint: say`0 if empty` },
];

const furrows = (strip: boolean): Entry[] => [
  { name: "inflow_l_s", label: say`Inflow of one ${strip ? say`strip` : say`furrow`}`, quantity: "inflow" },
  { name: "count", label: say`${strip ? say`Strips` : say`Furrows`} run together` },
  { name: "spacing_m", label: strip ? say`Width of a strip` : say`Between furrows`, quantity: "spacing" },
  { name: "length_m", label: say`Length of the run`, quantity: "length" },
  {
    name: "tailwater_fraction",
    label: say`Tailwater`,
    percent: true,
    hint: say`share that runs off the end; 0 if empty`,
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
