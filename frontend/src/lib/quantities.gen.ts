/** Written from core/wording/quantities.py by `make generated`; not by hand. */
export const QUANTITIES = {
  depth: {
    metric: { unit: "mm", factor: 1, decimals: 0, offset: 0 },
    us: { unit: "in", factor: 0.03937007874015748, decimals: 2, offset: 0 },
  },
  soilDepth: {
    metric: { unit: "cm", factor: 1, decimals: 0, offset: 0 },
    us: { unit: "in", factor: 0.3937007874015748, decimals: 0, offset: 0 },
  },
  area: {
    metric: { unit: "ha", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "ac", factor: 2.471053814671653, decimals: 1, offset: 0 },
  },
  rate: {
    metric: { unit: "mm/h", factor: 1, decimals: 2, offset: 0 },
    us: { unit: "in/h", factor: 0.03937007874015748, decimals: 3, offset: 0 },
  },
  use: {
    metric: { unit: "mm/day", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "in/day", factor: 0.03937007874015748, decimals: 2, offset: 0 },
  },
  growth: {
    metric: { unit: "mm/day", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "in/day", factor: 0.03937007874015748, decimals: 2, offset: 0 },
  },
  size: {
    metric: { unit: "mm", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "in", factor: 0.03937007874015748, decimals: 2, offset: 0 },
  },
  flow: {
    metric: { unit: "L/h", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "gph", factor: 0.26417205235814845, decimals: 2, offset: 0 },
  },
  spacing: {
    metric: { unit: "m", factor: 1, decimals: 2, offset: 0 },
    us: { unit: "ft", factor: 3.280839895013123, decimals: 2, offset: 0 },
  },
  length: {
    metric: { unit: "m", factor: 1, decimals: 0, offset: 0 },
    us: { unit: "ft", factor: 3.280839895013123, decimals: 0, offset: 0 },
  },
  tension: {
    metric: { unit: "kPa", factor: 1, decimals: 0, offset: 0 },
    us: { unit: "cb", factor: 1, decimals: 0, offset: 0 },
  },
  supplyFlow: {
    metric: { unit: "m³/h", factor: 1, decimals: 0, offset: 0 },
    us: { unit: "gpm", factor: 4.402867539302474, decimals: 0, offset: 0 },
  },
  inflow: {
    metric: { unit: "L/s", factor: 1, decimals: 2, offset: 0 },
    us: { unit: "gpm", factor: 15.850323141488907, decimals: 1, offset: 0 },
  },
  volume: {
    metric: { unit: "m³", factor: 1, decimals: 0, offset: 0 },
    us: { unit: "gal", factor: 264.17205235814845, decimals: 0, offset: 0 },
  },
  waterContent: {
    metric: { unit: "m³/m³", factor: 1, decimals: 3, offset: 0 },
    us: { unit: "in/in", factor: 1, decimals: 3, offset: 0 },
  },
  density: {
    metric: { unit: "g/cm³", factor: 1, decimals: 2, offset: 0 },
    us: { unit: "lb/ft³", factor: 62.42796057614461, decimals: 0, offset: 0 },
  },
  temperature: {
    metric: { unit: "°C", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "°F", factor: 1.8, decimals: 1, offset: 32 },
  },
  temperatureStep: {
    metric: { unit: "°C", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "°F", factor: 1.8, decimals: 1, offset: 0 },
  },
  heat: {
    metric: { unit: "°C d", factor: 1, decimals: 0, offset: 0 },
    us: { unit: "°F d", factor: 1.8, decimals: 0, offset: 0 },
  },
  front: {
    metric: { unit: "cm/h", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "in/h", factor: 0.3937007874015748, decimals: 1, offset: 0 },
  },
  pressure: {
    metric: { unit: "bar", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "psi", factor: 14.503773773022, decimals: 0, offset: 0 },
  },
  perVolume: {
    metric: { unit: "m³", factor: 1, decimals: 3, offset: 0 },
    us: { unit: "1,000 gal", factor: 3.785411784, decimals: 3, offset: 0 },
  },
  yield: {
    metric: { unit: "t/ha", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "ton/ac", factor: 0.44608956080985224, decimals: 2, offset: 0 },
  },
  waterYield: {
    metric: { unit: "kg/m³", factor: 1, decimals: 2, offset: 0 },
    us: { unit: "lb/1,000 gal", factor: 8.34540445201933, decimals: 1, offset: 0 },
  },
  windSpeed: {
    metric: { unit: "m/s", factor: 1, decimals: 1, offset: 0 },
    us: { unit: "mph", factor: 2.236936292054402, decimals: 1, offset: 0 },
  },
} as const;

export type QuantityName = keyof typeof QUANTITIES;
