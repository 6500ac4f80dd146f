/** Water as one sequential scale, straw when dry to deep teal when wet. */
type Stop = [number, [number, number, number]];
const DRIEST: Stop = [0, [0xe7, 0xd6, 0xa6]];
const STOPS: Stop[] = [
  DRIEST,
  [0.35, [0xb2, 0xbe, 0x96]],
  [0.65, [0x54, 0x96, 0x8f]],
  [1, [0x0f, 0x4b, 0x52]],
];

/** Colour of a share of available water: 0 at wilting point, 1 at full point and above. */
export function waterColour(share: number): string {
  return `rgb(${waterRgb(share).join(" ")})`;
}

/** The same as red, green and blue, 0 to 255. */
export function waterRgb(share: number): [number, number, number] {
  const x = Math.min(1, Math.max(0, share));
  const upper = STOPS.findIndex(([at]) => at >= x);
  const [toAt, to] = STOPS[Math.max(upper, 1)] ?? DRIEST;
  const [fromAt, from] = STOPS[Math.max(upper, 1) - 1] ?? DRIEST;
  const t = (x - fromAt) / (toAt - fromAt);
  const mixed = (i: 0 | 1 | 2) => Math.round(from[i] + t * (to[i] - from[i]));
  return [mixed(0), mixed(1), mixed(2)];
}
