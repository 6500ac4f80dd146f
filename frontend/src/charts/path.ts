import { bisectCenter } from "d3-array";

/** Readings further apart than this are not joined by a line. */
export const JOINED_S = 6 * 3600;

/** A step-free line through the values, broken where one is missing. */
export function linePath(
  times: number[],
  values: (number | null)[],
  x: (t: number) => number,
  y: (v: number) => number,
): string {
  let path = "";
  let drawing = false;
  let before = 0;
  for (let i = 0; i < times.length; i++) {
    const value = values[i];
    const time = times[i] ?? 0;
    if (value === null || value === undefined) {
      drawing = false;
      continue;
    }
    const joined = drawing && time - before <= JOINED_S;
    path += `${joined ? "L" : "M"}${x(time).toFixed(1)} ${y(value).toFixed(1)}`;
    drawing = true;
    before = time;
  }
  return path;
}

/** Readings that no line reaches, such as those of a round by hand. */
export function lonePoints(times: number[], values: (number | null)[]): [number, number][] {
  const known = times.flatMap((time, i): [number, number][] => {
    const value = values[i];
    return value === null || value === undefined ? [] : [[time, value]];
  });
  const far = (time: number, other: number | undefined) =>
    other === undefined || Math.abs(time - other) > JOINED_S;
  return known.filter(([time], i) => far(time, known[i - 1]?.[0]) && far(time, known[i + 1]?.[0]));
}

/** The index of the time nearest to an instant in an increasing list, -1 when it is empty. */
export function nearest(times: number[], instant: number): number {
  return times.length ? bisectCenter(times, instant) : -1;
}
