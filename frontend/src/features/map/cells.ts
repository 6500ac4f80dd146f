import type { BlockMap, Ground } from "./queries";

/** Value of each cell from the nodes' values; a node that was not read leaves its weight to the others. */
export function cellValues(ground: Ground, values: Map<string, number>): (number | null)[] {
  const told = ground.of.map((ref) => values.get(ref));
  return ground.weights.map((row, n) => {
    if (ground.blank[n]) return null;
    let sum = 0;
    let share = 0;
    for (let k = 0; k < told.length; k++) {
      const value = told[k];
      const weight = row[k] ?? 0;
      if (value === undefined) continue;
      sum += weight * value;
      share += weight;
    }
    return Math.abs(share) < 0.2 ? null : sum / share;
  });
}

/** Nodes' values at a dawn of the season, or at the moment asked for where none is chosen. */
export function valuesOn(map: BlockMap, day: number | undefined): Map<string, number> {
  const found = new Map<string, number>();
  map.nodes.forEach((node, n) => {
    const value = day === undefined ? node.value : map.days[day]?.values[n];
    if (value !== null && value !== undefined) found.set(node.ref, value);
  });
  return found;
}

export interface Span {
  low: number;
  high: number;
}

/** The values drawn from straw to deep teal: of the whole season, so that a colour means the same on every day. */
export function spanOf(map: BlockMap): Span {
  if (map.what === "available" || map.what === "index") return { low: 0, high: 1 };
  const all = [...map.days.flatMap((d) => d.values), ...map.nodes.map((n) => n.value)].filter(
    (v) => v !== null,
  );
  if (all.length === 0) return { low: 0, high: 1 };
  const low = Math.min(...all);
  const high = Math.max(...all);
  return high > low ? { low, high } : { low: low - 1, high: high + 1 };
}

/** Where a value lies from dry (0) to wet (1): a depletion falls as the soil gets wetter. */
export function wetness(map: BlockMap, span: Span, value: number): number {
  const share = (value - span.low) / (span.high - span.low);
  return Math.min(1, Math.max(0, map.what === "depletion" || map.what === "salinity" ? 1 - share : share));
}

/** How unsure a cell is, from 0 to 1 where it would be left blank. */
export function unsure(ground: Ground, n: number): number {
  const most = Math.sqrt(0.9 * ground.sill);
  return most > 0 ? Math.min(1, (ground.doubt[n] ?? 0) / most) : 0;
}
