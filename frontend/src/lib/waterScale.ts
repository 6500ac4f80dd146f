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
  const x = Math.min(1, Math.max(0, share));
  const upper = STOPS.findIndex(([at]) => at >= x);
  const [toAt, to] = STOPS[Math.max(upper, 1)] ?? DRIEST;
  const [fromAt, from] = STOPS[Math.max(upper, 1) - 1] ?? DRIEST;
  const t = (x - fromAt) / (toAt - fromAt);
  const mixed = from.map((c, i) => Math.round(c + t * ((to[i] ?? c) - c)));
  return `rgb(${mixed.join(" ")})`;
}
