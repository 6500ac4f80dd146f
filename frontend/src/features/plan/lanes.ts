import type { Schemas } from "../../api/client";
import { wall } from "../../lib/dates";
import { say } from "../../lib/words";

export type PlannedSet = Schemas["PlannedSetOut"];
type Lane = Schemas["LaneOut"];

/** Where a set stands on its lane: shares of the plan's time and of the lane's flow, from the left and the bottom. */
export interface Place {
  set: PlannedSet;
  left: number;
  width: number;
  bottom: number;
  height: number;
}

export interface Span {
  start: number;
  hours: number;
}

export function spanOf(plan: Schemas["PlanContent"]): Span {
  const start = wall(plan.start).getTime();
  return { start, hours: (wall(plan.end).getTime() - start) / 3_600_000 };
}

export function share(iso: string, span: Span): number {
  return (wall(iso).getTime() - span.start) / 3_600_000 / span.hours;
}

/** Sets stacked on a lane, each at the lowest level that is free while it runs: height is flow, area is water. */
export function placed(lane: Lane, sets: PlannedSet[], span: Span): { places: Place[]; ceiling: number } {
  const ceiling = lane.flow_m3_h ?? Math.max(1, mostAtOnce(sets));
  const places: Place[] = [];
  for (const set of sets) {
    const left = share(set.start, span);
    const width = share(set.end, span) - left;
    const beside = places
      .filter((p) => p.left < left + width - 1e-9 && left < p.left + p.width - 1e-9)
      .sort((a, b) => a.bottom - b.bottom);
    const height = set.flow_m3_h / ceiling;
    let bottom = 0;
    for (const other of beside)
      if (other.bottom < bottom + height - 1e-9) bottom = Math.max(bottom, other.bottom + other.height);
    places.push({ set, left, width, bottom, height });
  }
  return { places, ceiling };
}

function mostAtOnce(sets: PlannedSet[]): number {
  const running = (at: string) => sets.filter((s) => s.start <= at && at < s.end);
  return Math.max(0, ...sets.map((s) => running(s.start).reduce((sum, r) => sum + r.flow_m3_h, 0)));
}

/** Every sixth hour of the plan, and where a day begins. */
export function ticks(span: Span): { left: number; hour: number; at: Date }[] {
  const six = 6 * 3_600_000;
  const first = Math.ceil(span.start / six) * six;
  const found = [];
  for (let at = first; at <= span.start + span.hours * 3_600_000; at += six) {
    const when = new Date(at);
    found.push({ left: (at - span.start) / 3_600_000 / span.hours, hour: when.getUTCHours(), at: when });
  }
  return found;
}

export function nameOf(set: PlannedSet): string {
  if (set.shift && set.shift !== "all") return `${set.name}, ${set.shift}`;
  return set.parts > 1 ? say`${set.name}, part ${set.part} of ${set.parts}` : set.name;
}
