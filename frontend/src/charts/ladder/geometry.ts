import type { BlockContent, Schemas } from "../../api/client";

export const PLOT = 500;
export const RIGHT = 112;
export const WIDTH = PLOT + RIGHT;
export const TOP = 34;
export const STORAGE = 132;
const TRACE = 36;
const LEAST_TRACE = 22;
const TRACES_ROOM = 8 * TRACE;
export const PICTURE = 104;
export const DAY = 86400;

export type Scale = (value: number) => number;

/** A span of instants that is shown [s, UTC]. */
export interface View {
  start: number;
  end: number;
}

/** Where the parts of a ladder with so many traces stand. */
export function partsOf(traces: number) {
  const tracesTop = TOP + STORAGE + 14;
  const trace = Math.max(LEAST_TRACE, Math.min(TRACE, Math.floor(TRACES_ROOM / Math.max(1, traces))));
  const pictureTop = tracesTop + traces * trace + 10;
  return { tracesTop, trace, pictureTop, height: pictureTop + PICTURE + 20 };
}

/** Lowest and highest storage to show: marks, readings and the fan all fit. */
export function storageRange(content: BlockContent): [number, number] | null {
  const { marks } = content.advice;
  if (!marks) return null;
  let low = marks.refill_mm - 0.25 * marks.allowable_mm;
  let high = marks.full_mm + 0.15 * marks.allowable_mm;
  for (const value of content.storage_mm) {
    if (value === null) continue;
    if (value < low) low = value;
    if (value > high) high = value;
  }
  for (const point of content.fan) low = Math.min(low, point.low_mm);
  return [low, high];
}

/** Lowest and highest water content to show in a trace's lane. */
export function traceRange(trace: Schemas["TraceOut"]): [number, number] {
  let low = trace.theta_refill;
  let high = trace.theta_full;
  for (const value of trace.theta) {
    if (value === null) continue;
    if (value < low) low = value;
    if (value > high) high = value;
  }
  return [low - 0.004, high + 0.004];
}

/** A straight scale. */
export function straight([from, to]: [number, number], [start, end]: [number, number]): Scale {
  const span = to - from || 1;
  return (value) => start + ((value - from) / span) * (end - start);
}
