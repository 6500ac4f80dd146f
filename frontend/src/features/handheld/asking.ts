import type { Schemas } from "../../api/client";
import { say } from "../../lib/words";

export type HandSensor = Schemas["HandSensor"];

/** The number typed on the pad, or undefined while it is none. */
export function typed(text: string): number | undefined {
  const value = Number(text.replace(",", "."));
  return text.trim() === "" || Number.isNaN(value) ? undefined : value;
}

/** Why a value wants a second look, by the limits the server gave; empty when it does not. */
export function whyAskAgain(value: number, sensor: HandSensor): string {
  const { low, high, step, last } = sensor;
  if ((low !== null && value < low) || (high !== null && value > high)) return say`outside ${range(sensor)}`;
  if (step !== null && last !== null && Math.abs(value - last) > step) {
    return say`${Math.abs(value - last).toPrecision(3)} ${value > last ? say`more` : say`less`} than last time`;
  }
  return "";
}

export function range({ low, high }: HandSensor): string {
  return low === null || high === null ? say`any value` : say`${low} to ${high}`;
}
