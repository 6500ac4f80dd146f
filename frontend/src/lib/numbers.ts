/** "11 h 05 min". */
import { say, sayCount } from "./words";
export function setTime(minutes: number): string {
  const hours = Math.floor(minutes / 60);
  const rest = String(minutes % 60).padStart(2, "0");
  return hours === 0 ? say`${minutes} min` : say`${hours} h ${rest} min`;
}

/** Days to the half: "2.5". */
export function halfDays(days: number): string {
  const halves = Math.round(days * 2) / 2;
  return Number.isInteger(halves) ? String(halves) : halves.toFixed(1);
}

/** "0.5 to 1.5 days"; a range that rounds to one figure is one figure. */
export function dayRange(low: number, high: number | null | undefined): string {
  if (high === null || high === undefined) return say`${halfDays(low)} days or more`;
  const [from, to] = [halfDays(low), halfDays(high)];
  if (from === to) return sayCount(Number(to), "{n} day", "{n} days");
  return say`${from} to ${to} days`;
}

export function percent(fraction: number): string {
  return `${Math.round(fraction * 100)} %`;
}

/** Bytes for a person. */
export function fileSize(bytes: number): string {
  if (bytes < 1e6) return say`${Math.max(1, Math.round(bytes / 1e3))} kB`;
  return say`${(bytes / 1e6).toFixed(1)} MB`;
}

/** "8 h 20 min". */
export function hoursWords(hours: number): string {
  const minutes = Math.round(hours * 60);
  const [h, min] = [Math.floor(minutes / 60), minutes % 60];
  return min === 0 ? `${h} h` : h === 0 ? say`${min} min` : say`${h} h ${min} min`;
}
