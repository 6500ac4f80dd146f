import type { Schemas } from "../../api/client";
import { type QuantityName, toInput, toServer, type UnitSystem } from "../../lib/units";
import { type Column, type Row, valuesOfRow } from "../../ui/RowsEditor";

type Supply = Schemas["WaterSupplyOut"];
export type RulesDraft = Record<string, string>;

export const TARIFF: Column[] = [
  { name: "name", label: "Name", width: "w-24" },
  { name: "start", label: "From", type: "time" },
  { name: "end", label: "To", type: "time" },
  { name: "price", label: "Price", number: true, width: "w-20" },
  { name: "per", label: "per", options: ["kwh", "m3"], width: "w-20" },
  { name: "days", label: "Days (mon,tue …)", width: "w-40" },
];
export const TURN: Column[] = [
  { name: "start", label: "From", type: "datetime-local", width: "w-48" },
  { name: "end", label: "To", type: "datetime-local", width: "w-48" },
  { name: "flow_m3_h", label: "Flow, m³/h", number: true },
];
export const SHIFT: Column[] = [
  { name: "name", label: "Part", width: "w-36" },
  { name: "area_ha", label: "Area, ha", number: true, width: "w-24" },
  { name: "valve", label: "Valve", width: "w-28" },
  { name: "tag", label: "Tag, or where it is", width: "w-48" },
];
export const HOURS: Column[] = [
  { name: "days", label: "Days (empty: every day)", width: "w-48" },
  { name: "start", label: "From", type: "time" },
  { name: "end", label: "To", type: "time" },
];
export const PLAIN: { name: string; label: string; quantity?: QuantityName; hint?: string }[] = [
  { name: "flow_m3_h", label: "Greatest flow", quantity: "supplyFlow" },
  { name: "least_flow_m3_h", label: "Least flow", quantity: "supplyFlow" },
  { name: "hours_per_day", label: "Hours a day" },
  { name: "hours_per_week", label: "Hours a week" },
  { name: "delay_min", label: "Minutes between valves" },
  { name: "ec_ds_m", label: "Salinity, dS/m" },
];

export function rowsOf(list: readonly object[] | undefined, columns: Column[]): Row[] {
  return (list ?? []).map((one) =>
    Object.fromEntries(
      columns.map(({ name, type }) => {
        const value = (one as Record<string, unknown>)[name];
        const text = Array.isArray(value)
          ? value.join(",")
          : value === null || value === undefined
            ? ""
            : String(value);
        return [name, type === "datetime-local" ? text.slice(0, 16) : text];
      }),
    ),
  );
}

export function listed(rows: Row[], columns: Column[]): Record<string, unknown>[] {
  return rows
    .map((row) => valuesOfRow(row, columns))
    .map((row) =>
      "days" in row
        ? {
            ...row,
            days: String(row.days)
              .toLowerCase()
              .split(/[ ,;]+/)
              .filter(Boolean),
          }
        : row,
    );
}

export function draftOfRules(supply: Supply, units: UnitSystem): RulesDraft {
  const rules: Record<string, unknown> = supply.rules ?? {};
  const found: RulesDraft = { kind: supply.rules?.kind ?? "other", note: supply.rules?.note ?? "" };
  for (const { name, quantity } of PLAIN) {
    const value = rules[name] ?? (name === "flow_m3_h" ? supply.flow_m3_h : null);
    found[name] =
      typeof value === "number" ? (quantity ? toInput(value, quantity, units) : String(value)) : "";
  }
  for (const name of ["kwh_m3", "lift_m", "pressure_bar", "efficiency_fraction"])
    found[name] = text(supply.rules?.energy?.[name as "kwh_m3"]);
  found.volume_m3 = text(supply.rules?.season?.volume_m3);
  found.first = supply.rules?.season?.first ?? "";
  found.last = supply.rules?.season?.last ?? "";
  return found;
}

const text = (value: number | null | undefined) =>
  value === null || value === undefined ? "" : String(value);

/** The rules as the farm document has them; what is no number goes as it was typed, so that the server names it. */
export function rulesOf(draft: RulesDraft, units: UnitSystem): Record<string, unknown> {
  const found: Record<string, unknown> = { kind: draft.kind, note: draft.note ?? "" };
  for (const { name, quantity } of PLAIN) {
    const value = typed(draft[name]);
    if (value !== undefined)
      found[name] = quantity && typeof value === "number" ? toServer(value, quantity, units) : value;
  }
  const energy = Object.fromEntries(
    ["kwh_m3", "lift_m", "pressure_bar", "efficiency_fraction"]
      .map((name) => [name, typed(draft[name])])
      .filter(([, value]) => value !== undefined),
  );
  if (Object.keys(energy).length > 0) found.energy = energy;
  if (draft.volume_m3 || draft.first || draft.last)
    found.season = { volume_m3: typed(draft.volume_m3), first: draft.first, last: draft.last };
  return found;
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
