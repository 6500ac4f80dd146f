/** Display units: the server speaks mm, cm, ha, L/h; these turn them into what the reader sees, and back. */
import { QUANTITIES, type QuantityName } from "./quantities.gen";
import { say } from "./words";

export type { QuantityName };
export type UnitSystem = "metric" | "us";

export interface Quantity {
  unit: string;
  factor: number;
  decimals: number;
  offset: number;
}

export function quantity(name: QuantityName, system: UnitSystem): Quantity {
  const found = QUANTITIES[name][system];
  return { ...found, unit: found.unit.replace("/day", say`/day`) };
}

/** "19 mm" or "0.75 in". A value that rounds to nothing is not written as −0. */
export function show(value: number, name: QuantityName, system: UnitSystem, withUnit = true): string {
  const { unit, factor, decimals, offset } = quantity(name, system);
  const text = (value * factor + offset).toFixed(decimals);
  const figure = Number(text) === 0 ? text.replace("-", "") : text.replace("-", "−");
  return withUnit ? `${figure} ${unit}` : figure;
}

/** A depth over the block, and in the wetted strip beside it where only a share of the ground is wetted. */
export function depthPair(stripMm: number, wettedShare: number, system: UnitSystem): string {
  const strip = show(stripMm, "depth", system);
  if (wettedShare >= 1) return strip;
  return say`${show(wettedShare * stripMm, "depth", system)} over the block (${strip} in the wetted strip)`;
}

/** A depth in the wetted strip with its error, and over the block beside it where only a share of it is wetted. */
export function depthWithError(stripMm: number, errorMm: number, share: number, system: UnitSystem): string {
  const strip = `${show(stripMm, "depth", system, false)} ± ${show(errorMm, "depth", system)}`;
  return share >= 1
    ? strip
    : say`${strip} in the wetted strip, ${show(share * stripMm, "depth", system)} over the block`;
}

/** A stored value as text to be edited, in the farm's units. */
export function toInput(value: number, name: QuantityName, system: UnitSystem): string {
  const { factor, offset } = quantity(name, system);
  return String(Number((value * factor + offset).toPrecision(6)));
}

/** What a person typed, in the server's unit. */
export function toServer(typed: number, name: QuantityName, system: UnitSystem): number {
  const { factor, offset } = quantity(name, system);
  return (typed - offset) / factor;
}

const BY_SERVER_UNIT = new Map<string, QuantityName>(
  (Object.keys(QUANTITIES) as QuantityName[]).reverse().map((name) => [QUANTITIES[name].metric.unit, name]),
);

/** Quantity of a unit the server names, or null when it is shown as it is. */
export function quantityOf(serverUnit: string): QuantityName | null {
  return BY_SERVER_UNIT.get(serverUnit) ?? null;
}

/** A sensor's raw unit as the reader knows it: tensions and water contents have the same figure in both systems. */
export function rawUnitWord(raw: string, system: UnitSystem): string {
  if (raw === "kPa") return QUANTITIES.tension[system].unit;
  if (raw === "m3/m3") return QUANTITIES.waterContent[system].unit;
  return raw;
}
