import type { Estimate, Marks, Pick } from "./queries";

export interface Picking {
  picks: Pick[];
  title: string;
}

export interface PartProps {
  marks: Marks;
  start: ((picking: Picking) => void) | null;
}

/** An answer as something that can be put in force, for its depths if it has some. */
export function pickOf(one: Estimate, span?: { top_cm: number; bottom_cm: number }): Pick {
  return {
    mark: one.mark as Pick["mark"],
    how: one.how as Pick["how"],
    value: one.value ?? 0,
    estimator: one.estimator,
    ...(span ? { top_cm: span.top_cm, bottom_cm: span.bottom_cm } : {}),
  };
}
