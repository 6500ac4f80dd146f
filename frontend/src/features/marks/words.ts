import { quantity, show, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import type { Estimate } from "./queries";

/** A mark's figure in its own terms: percent of the soil, kPa, percent of available water, mm. */
export function figure(value: number | null | undefined, how: string, units: UnitSystem): string {
  if (value === null || value === undefined) return "–";
  if (how === "theta") return `${(value * 100).toFixed(1)} %`;
  if (how === "tension") return show(value, "tension", units);
  if (how === "fraction") return say`${Math.round(value * 100)} % used`;
  return show(value, "depth", units);
}

export function range(one: Estimate, units: UnitSystem): string {
  const bare = (v: number | null | undefined) => figure(v, one.how, units).replace(/ .*$/, "");
  if (one.low === null || one.low === undefined) return "";
  if (one.high === null || one.high === undefined) return "";
  return say`${bare(one.low)} to ${bare(one.high)}`;
}

/** The unit a picked value is typed in. */
export function unitOf(how: string, units: UnitSystem): string {
  if (how === "theta") return say`% by volume`;
  if (how === "tension") return quantity("tension", units).unit;
  if (how === "fraction") return say`% of available water used`;
  return say`${quantity("depth", units).unit} of depletion`;
}

/** A value as typed, in the server's terms. */
export function typedMark(text: string, how: string, units: UnitSystem): number {
  const value = Number(text.replace(",", "."));
  if (how === "theta" || how === "fraction") return value / 100;
  return how === "tension" ? value : value / quantity("depth", units).factor;
}

export function asTyped(value: number, how: string, units: UnitSystem): string {
  if (how === "theta" || how === "fraction") return String(Number((value * 100).toFixed(1)));
  const factor = how === "tension" ? 1 : quantity("depth", units).factor;
  return String(Number((value * factor).toPrecision(3)));
}
