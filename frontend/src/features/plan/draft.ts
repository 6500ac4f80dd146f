import { wall } from "../../lib/dates";
import type { PlannedSet } from "./lanes";
import type { Plan } from "./queries";

/** Minutes somebody has moved sets by, and sets left out, by key. */
export interface Draft {
  moved: Record<string, number>;
  out: string[];
}

export const EMPTY: Draft = { moved: {}, out: [] };

/** A moment later by minutes, with the offset it was written with: "2026-07-14T20:30+02:00". */
export function later(iso: string, minutes: number): string {
  const at = new Date(wall(iso).getTime() + 60_000 * minutes);
  return `${at.toISOString().slice(0, 16)}${iso.slice(16)}`;
}

export function movable(set: PlannedSet): boolean {
  return (set.state === "proposed" || set.state === "approved") && !set.locked;
}

/** The plan's sets as somebody has moved them. */
export function drawn(plan: Plan, draft: Draft): PlannedSet[] {
  return plan.sets.map((set) => {
    const by = draft.moved[set.key];
    return by ? { ...set, start: later(set.start, by), end: later(set.end, by) } : set;
  });
}

/** A draft with a set moved by so many minutes more, held within the plan. */
export function nudged(plan: Plan, draft: Draft, set: PlannedSet, by: number): Draft {
  const shown = plan.sets.find((s) => s.key === set.key);
  if (!shown || !movable(shown)) return draft;
  const wanted = (draft.moved[set.key] ?? 0) + by;
  const least = minutesBetween(shown.start, plan.start);
  const most = minutesBetween(shown.end, plan.end);
  const held = Math.min(Math.max(wanted, Math.min(least, 0)), Math.max(most, 0));
  const moved = { ...draft.moved, [set.key]: held };
  if (held === 0) delete moved[set.key];
  return { ...draft, moved };
}

export function minutesBetween(from: string, to: string): number {
  return Math.round((wall(to).getTime() - wall(from).getTime()) / 60_000);
}

/** Sets of tonight that are to be approved: what is left out stays out. */
export function toApprove(plan: Plan, draft: Draft): PlannedSet[] {
  return drawn(plan, draft).filter((s) => s.state === "proposed" && s.tonight && !draft.out.includes(s.key));
}

export const placeOf = (set: PlannedSet) => ({ key: set.key, start: set.start });
