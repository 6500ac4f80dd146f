import type { BlockAdvice } from "../api/client";
import { day, refillWord, wall } from "../lib/dates";
import { dayRange, setTime } from "../lib/numbers";
import { inUnits, show, type UnitSystem } from "../lib/units";

export const GROUPS: { key: BlockAdvice["group"]; title: string }[] = [
  { key: "act", title: "Act today" },
  { key: "coming", title: "Coming" },
  { key: "leave", title: "Leave" },
  { key: "none", title: "No advice" },
];

/** The refill column: a word, and the range in a second line. */
export function refillText(block: BlockAdvice, asOf: string): { word: string; range: string } {
  if (!block.refill) return { word: block.group === "leave" ? "not soon" : "", range: "" };
  const { days, mid_at } = block.refill;
  const word =
    block.group === "leave" ? `after ${day(wall(mid_at)).slice(4)}` : refillWord(asOf, mid_at, days.mid);
  return { word, range: days.mid <= 0 ? "" : dayRange(days.low, days.high) };
}

/** The set in words: "19 mm net, 11 h 05 min". */
export function setText(block: BlockAdvice, units: UnitSystem): string {
  const { advised } = block;
  if (!advised || block.group === "none") return "";
  if (block.group === "leave") return "no set this week";
  const depth = `${show(advised.net_mm, "depth", units)} net`;
  return advised.set_time_min ? `${depth}, ${setTime(advised.set_time_min)}` : depth;
}

/** The line under the set: what not to trust comes first, else the reason. */
export function reasonText(block: BlockAdvice, units: UnitSystem): string {
  return inUnits(block.not_trusted[0] ?? block.reason, units);
}

/** The whole advice of a block in one line for its title. */
export function adviceText(block: BlockAdvice, asOf: string, units: UnitSystem): string {
  if (block.group === "none") return inUnits(block.reason, units);
  if (block.group === "leave") return `Leave it. ${inUnits(block.reason, units)}`;
  const { word } = refillText(block, asOf);
  return `Refill ${word}: ${setText(block, units)}`;
}
