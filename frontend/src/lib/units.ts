/** Display units: the server speaks mm, cm, ha, L/h; these turn them into what the farm shows, and back. */
export type UnitSystem = "metric" | "us";

export interface Quantity {
  unit: string;
  factor: number;
  decimals: number;
}

const METRIC = {
  depth: { unit: "mm", factor: 1, decimals: 0 },
  soilDepth: { unit: "cm", factor: 1, decimals: 0 },
  area: { unit: "ha", factor: 1, decimals: 1 },
  rate: { unit: "mm/h", factor: 1, decimals: 2 },
  use: { unit: "mm/day", factor: 1, decimals: 1 },
  flow: { unit: "L/h", factor: 1, decimals: 1 },
  spacing: { unit: "m", factor: 1, decimals: 2 },
  length: { unit: "m", factor: 1, decimals: 0 },
  tension: { unit: "kPa", factor: 1, decimals: 0 },
  supplyFlow: { unit: "m³/h", factor: 1, decimals: 0 },
  inflow: { unit: "L/s", factor: 1, decimals: 2 },
} satisfies Record<string, Quantity>;

export type QuantityName = keyof typeof METRIC;

const US: Record<QuantityName, Quantity> = {
  depth: { unit: "in", factor: 1 / 25.4, decimals: 2 },
  soilDepth: { unit: "in", factor: 1 / 2.54, decimals: 0 },
  area: { unit: "ac", factor: 10000 / 4046.8564224, decimals: 1 },
  rate: { unit: "in/h", factor: 1 / 25.4, decimals: 3 },
  use: { unit: "in/day", factor: 1 / 25.4, decimals: 2 },
  flow: { unit: "gph", factor: 1 / 3.785411784, decimals: 2 },
  spacing: { unit: "ft", factor: 1 / 0.3048, decimals: 2 },
  length: { unit: "ft", factor: 1 / 0.3048, decimals: 0 },
  tension: { unit: "cb", factor: 1, decimals: 0 },
  supplyFlow: { unit: "gpm", factor: 4.402867539, decimals: 0 },
  inflow: { unit: "gpm", factor: 15.850323141, decimals: 1 },
};

export function quantity(name: QuantityName, system: UnitSystem): Quantity {
  return (system === "us" ? US : METRIC)[name];
}

/** Degrees Celsius as the reader's units show them: the figure and its unit. */
export function temperature(celsius: number, system: UnitSystem): { value: number; unit: string } {
  return system === "us" ? { value: celsius * 1.8 + 32, unit: "°F" } : { value: celsius, unit: "°C" };
}

/** "19 mm" or "0.75 in". A value that rounds to nothing is not written as −0. */
export function show(value: number, name: QuantityName, system: UnitSystem, withUnit = true): string {
  const { unit, factor, decimals } = quantity(name, system);
  const text = (value * factor).toFixed(decimals);
  const figure = Number(text) === 0 ? text.replace("-", "") : text.replace("-", "−");
  return withUnit ? `${figure} ${unit}` : figure;
}

/** A stored value as text to be edited, in the farm's units. */
export function toInput(value: number, name: QuantityName, system: UnitSystem): string {
  return String(Number((value * quantity(name, system).factor).toPrecision(6)));
}

/** What a person typed, in the server's unit. */
export function toServer(typed: number, name: QuantityName, system: UnitSystem): number {
  return typed / quantity(name, system).factor;
}

/** Rewrites the millimetres in a sentence of the server for a farm that shows inches. */
export function inUnits(sentence: string, system: UnitSystem): string {
  if (system === "metric") return sentence;
  return sentence.replace(/(-?\d+(?:\.\d+)?) mm\b/g, (_, mm) => show(Number(mm), "depth", system));
}

const BY_SERVER_UNIT: Record<string, QuantityName> = {
  mm: "depth",
  cm: "soilDepth",
  "mm/h": "rate",
  "mm/day": "use",
  kPa: "tension",
  m: "length",
  "m³/h": "supplyFlow",
};

/** Quantity of a unit the server names, or null when it is shown as it is. */
export function quantityOf(serverUnit: string): QuantityName | null {
  return BY_SERVER_UNIT[serverUnit] ?? null;
}
