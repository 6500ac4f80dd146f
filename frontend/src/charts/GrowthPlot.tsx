import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { show, type UnitSystem } from "../lib/units";
import { say } from "../lib/words";
import { EDGE, Frame, pathOf, roundTicks } from "./Frame";
import { dayTicks } from "./TwoTraces";

type Growth = Schemas["GrowthContent"];
const WIDTH = 860;
const UPPER = 190;
const LOWER = 170;

interface Props {
  growth: Growth;
  offset: number;
  units: UnitSystem;
}

/** Growth rate over the season, and the depletion it happened at, on one time axis. */
export function GrowthPlot({ growth, offset, units }: Props) {
  const times = growth.rates.map((r) => r.at);
  const from = (times[0] ?? 0) - 3 * 86400;
  const to = (times[times.length - 1] ?? 1) + 2 * 86400;
  const x = scaleLinear([from, to], [EDGE.left, WIDTH - EDGE.right]);
  const top = Math.max(1, ...growth.rates.map((r) => r.rate_mm_d + r.error_mm_d));
  const y = scaleLinear([0, top], [UPPER - EDGE.bottom, EDGE.top]);
  const days = dayTicks(from, to, 7, offset);
  const time = { x: (wallS: number) => x(wallS - offset), at: (place: number) => x.invert(place) + offset };
  const per = units === "us" ? "in" : "mm";
  return (
    <>
      <Frame
        width={WIDTH}
        height={UPPER}
        label={say`Growth rate, ${growth.rates.length} days. ${growth.words}`}
        x={x}
        y={y}
        xTicks={days}
        yTicks={roundTicks(0, top, 4, (v) => show(v, "depth", units, false))}
        time={time}
        className="w-full min-w-[600px] max-w-[980px]"
        yTitle={say`stem growth, ${per} a day, mean of ${growth.rates[0]?.plants ?? 0}`}
      >
        {growth.rates.map((r) => (
          <line
            key={r.at}
            x1={x(r.at)}
            x2={x(r.at)}
            y1={y(Math.max(0, r.rate_mm_d - r.error_mm_d))}
            y2={y(r.rate_mm_d + r.error_mm_d)}
            className="stroke-ink-2"
          />
        ))}
        <path
          d={pathOf(growth.rates.map((r) => [x(r.at), y(r.rate_mm_d)]))}
          fill="none"
          className="stroke-deep"
          strokeWidth={1.6}
        />
        {growth.cycles.map((c) => (
          <Cycle key={c.wetted_at} cycle={c} x={x} y={y} share={growth.share} />
        ))}
      </Frame>
      <Water growth={growth} x={x} days={days} span={[from, to]} units={units} time={time} />
    </>
  );
}

interface CycleProps {
  cycle: Schemas["CycleOut"];
  x: (v: number) => number;
  y: (v: number) => number;
  share: number;
}

/** The peak of a dry-down, and where growth had fallen to half of it. */
function Cycle({ cycle, x, y, share }: CycleProps) {
  if (cycle.peak_at === null || cycle.peak_mm_d === null || cycle.peak_at === undefined) return null;
  const peak = cycle.peak_mm_d ?? 0;
  return (
    <g>
      <circle
        cx={x(cycle.peak_at)}
        cy={y(peak)}
        r={4.5}
        fill="none"
        className="stroke-ink"
        strokeWidth={1.5}
      />
      {cycle.half_at !== null && cycle.half_at !== undefined && (
        <>
          <line
            x1={x(cycle.peak_at)}
            x2={x(cycle.half_at)}
            y1={y(peak * share)}
            y2={y(peak * share)}
            className="stroke-ink"
            strokeDasharray="3 3"
          />
          <circle cx={x(cycle.half_at)} cy={y(peak * share)} r={4.5} className="fill-ink" />
        </>
      )}
    </g>
  );
}

interface WaterProps {
  growth: Growth;
  x: (v: number) => number;
  days: { at: number; label: string }[];
  span: [number, number];
  units: UnitSystem;
  time: { x: (wallS: number) => number; at: (place: number) => number };
}

function Water({ growth, x, days, span: [from, to], units, time }: WaterProps) {
  const inside = growth.depletion_times.flatMap((t, i): [number, number][] =>
    t >= from && t <= to ? [[t, growth.depletion_mm[i] ?? 0]] : [],
  );
  const most = Math.max(10, ...inside.map(([, d]) => d), growth.threshold_mm ?? 0);
  const y = scaleLinear([Math.min(0, ...inside.map(([, d]) => d)), most], [EDGE.top, LOWER - EDGE.bottom]);
  const at = growth.threshold_mm;
  return (
    <Frame
      width={WIDTH}
      height={LOWER}
      label={say`Depletion of the root zone over the same days`}
      x={x}
      y={y}
      xTicks={days}
      yTicks={roundTicks(0, most, 4, (v) => show(v, "depth", units, false))}
      time={time}
      className="w-full min-w-[600px] max-w-[980px]"
      yTitle={say`depletion in the root zone, ${units === "us" ? "in" : "mm"}`}
    >
      {at !== null && at !== undefined && (
        <>
          <rect
            x={EDGE.left}
            width={WIDTH - EDGE.left - EDGE.right}
            y={y(at - (growth.threshold_error_mm ?? 0))}
            height={Math.max(
              2,
              y(at + (growth.threshold_error_mm ?? 0)) - y(at - (growth.threshold_error_mm ?? 0)),
            )}
            className="fill-band"
          />
          <line
            x1={EDGE.left}
            x2={WIDTH - EDGE.right}
            y1={y(at)}
            y2={y(at)}
            className="stroke-ink"
            strokeDasharray="6 4"
          />
        </>
      )}
      <path
        d={pathOf(inside.map(([t, d]) => [x(t), y(d)]))}
        fill="none"
        className="stroke-deep"
        strokeWidth={1.6}
      />
      {growth.cycles.map((c) =>
        c.half_at !== null &&
        c.half_at !== undefined &&
        c.reading_mm !== null &&
        c.reading_mm !== undefined ? (
          <circle key={c.wetted_at} cx={x(c.half_at)} cy={y(c.reading_mm)} r={4.5} className="fill-ink" />
        ) : null,
      )}
    </Frame>
  );
}
