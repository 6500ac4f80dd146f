import { bisectLeft } from "d3-array";
import { JOINED_S } from "../path";
import type { View } from "./geometry";

/** What a line is drawn on: a canvas's context, or a path under test. */
export interface Pen {
  moveTo(x: number, y: number): void;
  lineTo(x: number, y: number): void;
}

/**
 * Draws a series with no more than four points a pixel column: its first, lowest, highest and last, in the order they
 * came, so that a long season looks as if every reading were drawn. Broken where a reading is missing. With fewer
 * columns a pixel it is coarser and quicker, for while it moves.
 */
export function drawSeries(
  pen: Pen,
  times: number[],
  values: (number | null)[],
  view: View,
  width: number,
  y: (value: number) => number,
  columnsPerPx = 1,
): number {
  const scale = width / (view.end - view.start);
  const perColumn = scale * columnsPerPx;
  const first = Math.max(0, bisectLeft(times, view.start) - 1);
  const last = Math.min(times.length, bisectLeft(times, view.end) + 1);
  let drawn = 0;
  let before = Number.NEGATIVE_INFINITY;
  let open = false;
  let i = first;
  while (i < last) {
    const value = values[i];
    const time = times[i] ?? 0;
    if (value === null || value === undefined) {
      open = false;
      i++;
      continue;
    }
    const column = Math.floor((time - view.start) * perColumn);
    let low = i;
    let high = i;
    let end = i;
    let next = i + 1;
    while (next < last && Math.floor(((times[next] ?? 0) - view.start) * perColumn) === column) {
      const other = values[next];
      if (other === null || other === undefined) break;
      if ((times[next] ?? 0) - (times[next - 1] ?? 0) > JOINED_S) break;
      if (other < (values[low] ?? 0)) low = next;
      if (other > (values[high] ?? 0)) high = next;
      end = next;
      next++;
    }
    for (const at of inOrder(i, low, high, end)) {
      const x = ((times[at] ?? 0) - view.start) * scale;
      const height = y(values[at] ?? 0);
      if (open && (times[at] ?? 0) - before <= JOINED_S) pen.lineTo(x, height);
      else pen.moveTo(x, height);
      open = true;
      before = times[at] ?? 0;
      drawn++;
    }
    i = next;
  }
  return drawn;
}

function inOrder(first: number, low: number, high: number, last: number): number[] {
  if (first === last) return [first];
  const found = [first];
  for (const at of low < high ? [low, high] : [high, low]) {
    if (at !== found[found.length - 1] && at !== last) found.push(at);
  }
  found.push(last);
  return found;
}
