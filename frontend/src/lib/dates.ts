/** Dates as the farm sees them. The server sends farm-local ISO text with its offset; only its face is read. */
import { say } from "./words";

const DAYS = [say`Sun`, say`Mon`, say`Tue`, say`Wed`, say`Thu`, say`Fri`, say`Sat`];
const MONTHS = [
  say`Jan`,
  say`Feb`,
  say`Mar`,
  say`Apr`,
  say`May`,
  say`Jun`,
  say`Jul`,
  say`Aug`,
  say`Sep`,
  say`Oct`,
  say`Nov`,
  say`Dec`,
];

/** Farm-local wall clock of ISO text, as if it were UTC, so that no browser zone gets in. */
export function wall(iso: string): Date {
  return new Date(`${iso.slice(0, 16)}Z`);
}

export function offsetSeconds(iso: string): number {
  const found = /([+-])(\d{2}):(\d{2})$/.exec(iso);
  if (!found) return 0;
  const seconds = Number(found[2]) * 3600 + Number(found[3]) * 60;
  return found[1] === "-" ? -seconds : seconds;
}

/** "Tue 14 Jul". */
export function day(at: Date): string {
  return `${DAYS[at.getUTCDay()]} ${at.getUTCDate()} ${MONTHS[at.getUTCMonth()]}`;
}

/** "14 Jul". */
export function dayMonth(at: Date): string {
  return `${at.getUTCDate()} ${MONTHS[at.getUTCMonth()]}`;
}

/** "14 Jul 2026" of a farm-local ISO day or moment. */
export function dated(iso: string): string {
  const at = new Date(`${iso.slice(0, 10)}T00:00Z`);
  return `${dayMonth(at)} ${at.getUTCFullYear()}`;
}

export function month(at: Date): string {
  return MONTHS[at.getUTCMonth()] ?? "";
}

/** "06:00". */
export function clock(at: Date): string {
  return at.toISOString().slice(11, 16);
}

/** The refill day in a word: now, tonight, a weekday within six days, else a date. */
export function refillWord(asOf: string, refillAt: string, days: number): string {
  if (days <= 0) return say`now`;
  const then = wall(refillAt);
  const today = Math.floor(wall(asOf).getTime() / 86_400_000);
  const ahead = Math.floor(then.getTime() / 86_400_000) - today;
  if (ahead <= 0) return say`today`;
  if (days <= 1) return say`tonight`;
  if (ahead === 1) return say`tomorrow`;
  return ahead < 7 ? `${DAYS[then.getUTCDay()]} ${then.getUTCDate()}` : dayMonth(then);
}
