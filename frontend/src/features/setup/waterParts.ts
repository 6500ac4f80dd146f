import type { Schemas } from "../../api/client";
import { type QuantityName, quantity, toInput, toServer, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { type Column, type Row, valuesOfRow } from "../../ui/RowsEditor";

type Supply = Schemas["WaterSupplyOut"];
export type RulesDraft = Record<string, string>;

/** A column whose figure is typed in the reader's units and kept in the server's. */
interface Measured extends Column {
  quantity?: QuantityName;
}

const unit = (name: QuantityName, units: UnitSystem) => quantity(name, units).unit;

export const tariffColumns = (units: UnitSystem): Measured[] => [
  { name: "name", label: say`Name`, width: "w-24" },
  { name: "start", label: say`From`, type: "time" },
  { name: "end", label: say`To`, type: "time" },
  { name: "price", label: say`Price`, number: true, width: "w-20" },
  {
    name: "per",
    label: say`per`,
    options: ["kwh", "m3"],
    words: { kwh: "kWh", m3: unit("perVolume", units) },
    width: "w-24",
  },
  { name: "days", label: say`Days (mon,tue …)`, width: "w-40" },
];
export const turnColumns = (units: UnitSystem): Measured[] => [
  { name: "start", label: say`From`, type: "datetime-local", width: "w-48" },
  { name: "end", label: say`To`, type: "datetime-local", width: "w-48" },
  { name: "flow_m3_h", label: say`Flow, ${unit("supplyFlow", units)}`, number: true, quantity: "supplyFlow" },
];
export const shiftColumns = (units: UnitSystem): Measured[] => [
  { name: "name", label: say`Part`, width: "w-36" },
  {
    name: "area_ha",
    label: say`Area, ${unit("area", units)}`,
    number: true,
    width: "w-24",
    quantity: "area",
  },
  { name: "valve", label: say`Valve`, width: "w-28" },
  { name: "tag", label: say`Tag, or where it is`, width: "w-48" },
];
export const HOURS: Measured[] = [
  { name: "days", label: say`Days (empty: every day)`, width: "w-48" },
  { name: "start", label: say`From`, type: "time" },
  { name: "end", label: say`To`, type: "time" },
];
interface Entry {
  name: string;
  label: string;
  quantity?: QuantityName;
}

const PLAIN: Entry[] = [
  { name: "flow_m3_h", label: say`Greatest flow`, quantity: "supplyFlow" },
  { name: "least_flow_m3_h", label: say`Least flow`, quantity: "supplyFlow" },
  { name: "hours_per_day", label: say`Hours a day` },
  { name: "hours_per_week", label: say`Hours a week` },
  { name: "delay_min", label: say`Minutes between valves` },
  { name: "ec_ds_m", label: say`Salinity, dS/m` },
];
const ENERGY: Entry[] = [
  { name: "kwh_m3", label: say`kWh per`, quantity: "perVolume" },
  { name: "lift_m", label: say`Lift`, quantity: "length" },
  { name: "pressure_bar", label: say`Pressure`, quantity: "pressure" },
  { name: "efficiency_fraction", label: say`Efficiency, 0 to 1` },
];

/** Plain figures and figures of energy, each with the unit it is typed in. */
export function entriesOf(units: UnitSystem): { plain: Entry[]; energy: Entry[] } {
  const worded = (entry: Entry) => ({
    ...entry,
    label: entry.quantity
      ? `${entry.label}${entry.name === "kwh_m3" ? "" : ","} ${unit(entry.quantity, units)}`
      : entry.label,
  });
  return { plain: PLAIN.map(worded), energy: ENERGY.map(worded) };
}

const shown = (value: unknown, units: UnitSystem, name?: QuantityName) =>
  typeof value !== "number" ? "" : name ? toInput(value, name, units) : String(value);
const kept = (value: number | string, units: UnitSystem, name?: QuantityName) =>
  name && typeof value === "number" ? toServer(value, name, units) : value;

export function rowsOf(
  list: readonly object[] | undefined,
  columns: Measured[],
  units: UnitSystem = "metric",
): Row[] {
  return (list ?? []).map((one) => {
    const record = one as Record<string, unknown>;
    return Object.fromEntries(
      columns.map(({ name, type, quantity: measured }) => {
        const value = record[name];
        const by = name === "price" && record.per === "m3" ? "perVolume" : measured;
        if (typeof value === "number") return [name, shown(value, units, by)];
        const words = Array.isArray(value) ? value.join(",") : String(value ?? "");
        return [name, type === "datetime-local" ? words.slice(0, 16) : words];
      }),
    );
  });
}

export function listed(
  rows: Row[],
  columns: Measured[],
  units: UnitSystem = "metric",
): Record<string, unknown>[] {
  return rows
    .map((row) => valuesOfRow(row, columns))
    .map((row) => {
      const found: Record<string, unknown> = { ...row };
      for (const { name, quantity: measured } of columns) {
        const by = name === "price" && row.per === "m3" ? "perVolume" : measured;
        const value = row[name];
        if (by && typeof value === "number") found[name] = toServer(value, by, units);
      }
      if ("days" in row)
        found.days = String(row.days)
          .toLowerCase()
          .split(/[ ,;]+/)
          .filter(Boolean);
      return found;
    });
}

export function draftOfRules(supply: Supply, units: UnitSystem): RulesDraft {
  const rules: Record<string, unknown> = supply.rules ?? {};
  const energy: Record<string, unknown> = supply.rules?.energy ?? {};
  const found: RulesDraft = { kind: supply.rules?.kind ?? "other", note: supply.rules?.note ?? "" };
  for (const { name, quantity: measured } of PLAIN)
    found[name] = shown(rules[name] ?? (name === "flow_m3_h" ? supply.flow_m3_h : null), units, measured);
  for (const { name, quantity: measured } of ENERGY) found[name] = shown(energy[name], units, measured);
  found.volume_m3 = shown(supply.rules?.season?.volume_m3, units, "volume");
  found.first = supply.rules?.season?.first ?? "";
  found.last = supply.rules?.season?.last ?? "";
  return found;
}

/** The rules as the farm document has them; what is no number goes as it was typed, so that the server names it. */
export function rulesOf(draft: RulesDraft, units: UnitSystem): Record<string, unknown> {
  const read = (entries: Entry[]) =>
    Object.fromEntries(
      entries.flatMap(({ name, quantity: measured }) => {
        const value = typed(draft[name]);
        return value === undefined ? [] : [[name, kept(value, units, measured)]];
      }),
    );
  const energy = read(ENERGY);
  const volume = typed(draft.volume_m3);
  return {
    kind: draft.kind,
    note: draft.note ?? "",
    ...read(PLAIN),
    ...(Object.keys(energy).length > 0 ? { energy } : {}),
    ...(draft.volume_m3 || draft.first || draft.last
      ? {
          season: {
            volume_m3: volume === undefined ? undefined : kept(volume, units, "volume"),
            first: draft.first,
            last: draft.last,
          },
        }
      : {}),
  };
}

function typed(value: string | undefined): number | string | undefined {
  const said = (value ?? "").trim();
  if (said === "") return undefined;
  const number = Number(said.replace(",", "."));
  return Number.isFinite(number) ? number : said;
}

/** Refusals by the path within the part: "tariffs[1].start". */
export function refusedBy(errors: { path: string; reason: string }[]): Record<string, string> {
  return Object.fromEntries(errors.map((e) => [e.path.replace(/^\w+\[\d+\]\.?/, ""), e.reason]));
}
