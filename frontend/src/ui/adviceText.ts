import type { BlockAdvice } from "../api/client";
import { clock, day, refillWord, wall } from "../lib/dates";
import { dayRange, setTime } from "../lib/numbers";
import { show, type UnitSystem } from "../lib/units";
import { capital, say } from "../lib/words";

export const GROUPS: { key: BlockAdvice["group"]; title: string }[] = [
  { key: "act", title: say`Act today` },
  { key: "coming", title: say`Coming` },
  { key: "leave", title: say`No irrigation` },
  { key: "none", title: say`No advice` },
];

/** The refill column: a word, and the range in a second line. */
export function refillText(block: BlockAdvice, asOf: string): { word: string; range: string } {
  if (block.ordered)
    return { word: block.ordered === "hold" ? say`postponed` : say`override`, range: say`by a person` };
  if (block.can_finish) return { word: say`stop`, range: say`stored water is enough` };
  if (block.wait_until_at)
    return { word: say`wait`, range: say`until ${untilText(asOf, block.wait_until_at)}, then read again` };
  if (!block.refill) return { word: block.group === "leave" ? say`not soon` : "", range: "" };
  const { days, mid_at } = block.refill;
  const start = block.start_by_at;
  if (start && block.group !== "leave" && start.slice(0, 10) < mid_at.slice(0, 10) && days.mid > 0)
    return {
      word: say`start ${startWord(asOf, start)}`,
      range: say`refill in ${dayRange(days.low, days.high)}`,
    };
  const word =
    block.group === "leave" ? say`after ${day(wall(mid_at)).slice(4)}` : refillWord(asOf, mid_at, days.mid);
  return { word, range: days.mid <= 0 ? "" : dayRange(days.low, days.high) };
}

function untilText(asOf: string, at: string): string {
  const then = wall(at);
  return at.slice(0, 10) === asOf.slice(0, 10) ? clock(then) : `${day(then)}, ${clock(then)}`;
}

function startWord(asOf: string, at: string): string {
  const word = refillWord(asOf, at, 1.5);
  return word === say`now` || word === say`tonight` ? say`today` : word;
}

/** The set in words: "19 mm net, 11 h 05 min". */
export function setText(block: BlockAdvice, units: UnitSystem): string {
  const { advised } = block;
  if (!advised || block.group === "none") return "";
  if (block.group === "leave") return say`no set this week`;
  const depth = say`${show(advised.net_mm, "depth", units)} net`;
  if (advised.pulses && advised.set_time_min)
    return say`${depth} in ${advised.pulses.count} pulses of ${setTime(advised.pulses.on_min)}`;
  if (advised.timer_fraction !== null && advised.set_time_min)
    return say`${depth}, one turn at ${Math.round(100 * advised.timer_fraction)} %, ${setTime(advised.set_time_min)}`;
  if (advised.all_sets_min && advised.set_time_min)
    return say`${depth}, ${advised.sets} sets of ${setTime(advised.set_time_min)}, ${setTime(advised.all_sets_min)} in all`;
  return advised.set_time_min ? `${depth}, ${setTime(advised.set_time_min)}` : depth;
}

/** A zone in words: "shoulder now, 22 mm gross in 4 h 10 min", "lower slope Fri, 10 mm gross", or why there is none. */
export function zoneText(zone: BlockAdvice["zones"][number], asOf: string, units: UnitSystem): string {
  if (zone.depletion_mm === null) return say`${zone.name}: no advice because ${zone.why_not}`;
  if (zone.why_not) return `${zone.name} ${zone.why_not}`;
  const days = zone.due_at ? (Date.parse(zone.due_at) - Date.parse(asOf)) / 86_400_000 : null;
  const when = zone.past ? say`now` : zone.due_at && days !== null ? refillWord(asOf, zone.due_at, days) : "";
  const time = zone.shift && zone.set_time_min ? say` in ${setTime(zone.set_time_min)}` : "";
  const what =
    zone.gross_mm === null
      ? ""
      : zone.gross_mm < 0.5
        ? say`nothing to give`
        : say`${show(zone.gross_mm, "depth", units)} gross${time}`;
  const told = [when, what].filter(Boolean).join(", ");
  return `${zone.name} ${told}${zone.by ? ` (${zone.by})` : ""}`;
}

/** The whole advice of a block in one line for its title. */
export function adviceText(block: BlockAdvice, asOf: string, units: UnitSystem): string {
  if (block.group === "none" || block.group === "leave") return block.reason;
  const { word, range } = refillText(block, asOf);
  if (block.wait_until_at) return say`Wait ${range}: ${setText(block, units)} as it stands now`;
  const what = word.startsWith("start") || block.ordered ? capital(word) : say`Refill ${word}`;
  return `${what}: ${setText(block, units)}`;
}
