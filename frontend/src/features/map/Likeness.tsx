import { scaleLinear } from "d3-scale";
import { quantity, show, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import type { Ground } from "./queries";

const WIDTH = 300;
const HEIGHT = 150;
const BOX = { left: 34, right: 10, top: 10, bottom: 30 };

/** How alike nodes are by how far apart they stand: the pairs, and the curve the map goes by. */
export function Likeness({ ground, units }: { ground: Ground; units: UnitSystem }) {
  const far = Math.max(...ground.lags.map((l) => l.distance_m), 1);
  const curve = (h: number) => ground.nugget + ground.sill * (1 - Math.exp((-3 * h) / ground.range_m));
  const most = Math.max(curve(far), ...ground.lags.map((l) => l.semivariance)) * 1.08;
  const x = scaleLinear([0, far], [BOX.left, WIDTH - BOX.right]);
  const y = scaleLinear([0, most], [HEIGHT - BOX.bottom, BOX.top]);
  const steps = Array.from({ length: 41 }, (_, n) => (far * n) / 40);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full"
      role="img"
      aria-label={say`Pairs of nodes differ more the farther apart they stand, up to ${show(ground.range_m, "length", units)}`}
    >
      <line x1={BOX.left} x2={WIDTH - BOX.right} y1={y(0)} y2={y(0)} className="stroke-ink" />
      {x.ticks(4).map((tick) => (
        <text key={tick} x={x(tick)} y={y(0) + 14} textAnchor="middle" className="fill-ink-2 text-[11px]">
          {show(tick, "length", units, false)}
        </text>
      ))}
      <text
        x={WIDTH - BOX.right}
        y={HEIGHT - 3}
        textAnchor="end"
        className="fill-ink-2 text-[11px]"
      >{say`${quantity("length", units).unit} apart`}</text>
      <path
        d={steps.map((h, n) => `${n === 0 ? "M" : "L"}${x(h)},${y(curve(h))}`).join("")}
        className="fill-none stroke-deep"
        strokeWidth={2}
      />
      {ground.lags.map((lag) => (
        <circle
          key={lag.distance_m}
          cx={x(lag.distance_m)}
          cy={y(lag.semivariance)}
          r={Math.min(7, 2 + Math.sqrt(lag.pairs) / 2.2)}
          className="fill-panel stroke-ink"
        />
      ))}
    </svg>
  );
}
