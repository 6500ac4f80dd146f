import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { show, type UnitSystem } from "../lib/units";
import { say } from "../lib/words";
import { EDGE, Frame, pathOf, roundTicks } from "./Frame";

const WIDTH = 420;
const HEIGHT = 220;

/** Use over demand of each dry day against the depletion it began with, and where it begins to fall. */
export function SlowDownPlot({ found, units }: { found: Schemas["SlowDownOut"]; units: UnitSystem }) {
  const points = found.points.map(([d = 0, r = 0]): [number, number] => [d, r]);
  const most = Math.max(10, ...points.map(([d]) => d));
  const top = Math.min(2.5, Math.max(1.3, ...points.map(([, r]) => r)));
  const x = scaleLinear([0, most], [EDGE.left, WIDTH - EDGE.right]);
  const y = scaleLinear([0, top], [HEIGHT - EDGE.bottom, EDGE.top]).clamp(true);
  const [low, high] = found.interval_mm ?? [];
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`Use over demand against depletion, ${points.length} days. ${found.words}`}
      x={x}
      y={y}
      xTicks={roundTicks(0, most, 5, (v) => show(v, "depth", units, false))}
      yTicks={roundTicks(0, top, 4, (v) => v.toFixed(1))}
      xTitle={say`depletion at dawn, ${units === "us" ? "in" : "mm"}`}
      yTitle={say`use ÷ what the weather asks`}
      className="w-full max-w-[460px]"
    >
      {low !== undefined && high !== undefined && (
        <rect
          x={x(low)}
          width={Math.max(1, x(high) - x(low))}
          y={EDGE.top}
          height={HEIGHT - EDGE.bottom - EDGE.top}
          className="fill-band"
        />
      )}
      {points.map(([d, r], i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: days in their order
        <circle key={i} cx={x(d)} cy={y(r)} r={3} className="fill-deep" />
      ))}
      <path
        d={pathOf(found.line.map(([d = 0, r = 0]) => [x(d), y(r)]))}
        fill="none"
        className="stroke-ink"
        strokeWidth={1.8}
      />
    </Frame>
  );
}
