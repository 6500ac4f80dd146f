import { scaleLinear, scaleLog } from "d3-scale";
import type { Schemas } from "../api/client";
import { quantity, show, type UnitSystem } from "../lib/units";
import { say, sayCode } from "../lib/words";
import { EDGE, Frame, pathOf, percentText, roundTicks } from "./Frame";

type Horizon = Schemas["HorizonCurves"];
const WIDTH = 460;
const HEIGHT = 280;
const DASH: Record<string, string> = { equation: "", class: "2 3", points: "9 3", pairs: "9 3 2 3" };

interface Props {
  horizon: Horizon;
  names: Record<string, string>;
  threshold: number[] | null;
  units: UnitSystem;
}

/** Water against tension of one horizon: the curve in use bold, the others beside it, points they were fitted to. */
export function RetentionPlot({ horizon, names, threshold, units }: Props) {
  const curves = horizon.curves.filter((c) => c.points.length > 0);
  const wettest = Math.max(0.3, ...curves.flatMap((c) => c.points.map((p) => p[1] ?? 0)));
  const x = scaleLog([1, 1500], [EDGE.left, WIDTH - EDGE.right]);
  const y = scaleLinear([0, wettest + 0.02], [HEIGHT - EDGE.bottom, EDGE.top]);
  const fitted = curves.find((c) => c.fitted_to.length > 0);
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`Water against tension, ${show(horizon.top_cm, "soilDepth", units, false)} to ${show(horizon.bottom_cm, "soilDepth", units)}: ${curves.map((c) => sayCode(names[c.kind])).join(", ")}`}
      x={x}
      y={y}
      xTicks={[1, 10, 33, 100, 300, 1500].map((at) => ({ at, label: String(at) }))}
      yTicks={roundTicks(0, wettest, 5, percentText)}
      xTitle={say`tension, ${quantity("tension", units).unit}`}
      yTitle={say`water, % by volume`}
    >
      {threshold && (
        <rect
          x={x(threshold[0] ?? 1)}
          width={Math.max(1, x(threshold[1] ?? 1) - x(threshold[0] ?? 1))}
          y={EDGE.top}
          height={HEIGHT - EDGE.bottom - EDGE.top}
          className="fill-band"
        />
      )}
      {curves.map((c) => (
        <path
          key={c.kind}
          d={pathOf(c.points.map((p) => [x(p[0] ?? 1), y(p[1] ?? 0)]))}
          fill="none"
          className={c.picked ? "stroke-deep" : "stroke-ink-2"}
          strokeWidth={c.picked ? 2.6 : 1.2}
          strokeDasharray={DASH[c.kind]}
        />
      ))}
      {fitted?.fitted_to.map((p) => (
        <circle
          key={p.join(" ")}
          cx={x(Math.max(1, p[0] ?? 1))}
          cy={y(p[1] ?? 0)}
          r={3.5}
          className="fill-panel stroke-ink"
        />
      ))}
      <Level at={y(horizon.theta_full)} label={say`full`} />
      <Level at={y(horizon.theta_wilting)} label={say`wilting`} />
    </Frame>
  );
}

function Level({ at, label }: { at: number; label: string }) {
  return (
    <g>
      <line x1={EDGE.left} x2={EDGE.left + 30} y1={at} y2={at} className="stroke-ink" strokeWidth={2} />
      <text x={EDGE.left + 34} y={at + 4} className="fill-ink text-[11px]">
        {label}
      </text>
    </g>
  );
}
