import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import type { Schemas } from "../api/client";
import { quantity, show, type UnitSystem } from "../lib/units";
import { say } from "../lib/words";

type Horizon = Schemas["HorizonCurve"];
const WIDTH = 420;
const HEIGHT = 230;
const LEFT = 38;
const RIGHT = 86;
const BOTTOM = 34;

/** Water content against tension for each horizon, with the water between full and wilting marked. */
export function SoilCurve({ horizons, units }: { horizons: Horizon[]; units: UnitSystem }) {
  const x = scaleLog([5, 1500], [LEFT, WIDTH - RIGHT]);
  const wettest = Math.max(...horizons.flatMap((h) => h.points.map((p) => p.theta)));
  const top = Math.ceil(wettest * 10 + 0.3) / 10;
  const y = scaleLinear([0, top], [HEIGHT - BOTTOM, 8]);
  const ends = spread(horizons.map((h) => y(h.theta_wilting) + 4));
  const draw = line<Schemas["CurvePoint"]>(
    (p) => x(p.tension_kpa),
    (p) => y(p.theta),
  );
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full max-w-[520px]"
      role="img"
      aria-label={words(horizons, units)}
    >
      {[0.1, 0.2, 0.3, 0.4, 0.5, 0.6]
        .filter((t) => t <= top)
        .map((theta) => (
          <g key={theta}>
            <line x1={LEFT} x2={WIDTH - RIGHT} y1={y(theta)} y2={y(theta)} className="stroke-rule" />
            <text x={LEFT - 5} y={y(theta) + 4} textAnchor="end" className="fill-ink-2 text-[10.5px]">
              {Math.round(theta * 100)}
            </text>
          </g>
        ))}
      {[10, 33, 100, 1500].map((kpa) => (
        <g key={kpa}>
          <line
            x1={x(kpa)}
            x2={x(kpa)}
            y1={8}
            y2={HEIGHT - BOTTOM}
            className="stroke-rule"
            strokeDasharray="2 3"
          />
          <text x={x(kpa)} y={HEIGHT - BOTTOM + 13} textAnchor="middle" className="fill-ink-2 text-[10.5px]">
            {kpa}
          </text>
        </g>
      ))}
      <text
        x={(LEFT + WIDTH - RIGHT) / 2}
        y={HEIGHT - 6}
        textAnchor="middle"
        className="fill-ink-2 text-[10.5px]"
      >{say`tension, ${quantity("tension", units).unit}`}</text>
      <text x={4} y={14} className="fill-ink-2 text-[10.5px]">
        %
      </text>
      {horizons.map((h, i) => (
        <g key={h.top_cm}>
          <path
            d={draw(h.points) ?? ""}
            fill="none"
            className="stroke-deep"
            strokeWidth={1.8}
            strokeDasharray={["", "7 3", "2 3", "9 3 2 3"][i % 4]}
          />
          <circle cx={x(h.full_tension_kpa)} cy={y(h.theta_full)} r={3.5} className="fill-ink" />
          <circle
            cx={x(1500)}
            cy={y(h.theta_wilting)}
            r={3.5}
            className="fill-panel stroke-ink"
            strokeWidth={1.5}
          />
          <text x={WIDTH - RIGHT + 9} y={ends[i]} className="fill-ink text-[11px]">
            {show(h.top_cm, "soilDepth", units, false)}–{show(h.bottom_cm, "soilDepth", units)}
          </text>
        </g>
      ))}
    </svg>
  );
}

/** Moves label places apart until none is nearer than a line to the next. */
function spread(places: number[]): number[] {
  const order = places.map((_, i) => i).sort((a, b) => (places[a] ?? 0) - (places[b] ?? 0));
  const moved = [...places];
  order.forEach((index, n) => {
    const above = order[n - 1];
    if (above !== undefined) moved[index] = Math.max(moved[index] ?? 0, (moved[above] ?? 0) + 13);
  });
  return moved;
}

function words(horizons: Horizon[], units: UnitSystem): string {
  const parts = horizons.map(
    (h) =>
      say`${show(h.top_cm, "soilDepth", units, false)} to ${show(h.bottom_cm, "soilDepth", units)}, ${h.texture}: full ${Math.round(h.theta_full * 100)} %, wilting ${Math.round(h.theta_wilting * 100)} %`,
  );
  return say`Water content against tension. ${parts.join("; ")}`;
}
