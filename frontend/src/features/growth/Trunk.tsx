import { scaleLinear } from "d3-scale";
import { Link } from "react-router";
import { useUnits } from "../../app/farm";
import { byDay, EDGE, Frame, roundTicks } from "../../charts/Frame";
import { dayMonth, wall } from "../../lib/dates";
import { quantity } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import type { Growth } from "./queries";

const WIDTH = 860;
const HEIGHT = 180;
const DAYS = 60;

/** A trunk gauge day by day: how far it shrinks, how much it grew. */
export function Trunk({ growth }: { growth: Growth }) {
  const units = useUnits();
  const days = growth.trunk.slice(-DAYS);
  if (!growth.trunk_sensor) {
    return (
      <section aria-label={say`Trunk`} className="mt-6">
        <h2 className="text-[17px] font-bold">{say`Trunk gauge`}</h2>
        <p>{sayWith`None here. Give a column of a logger's file to a sensor's trunk gauge in ${<Link className="underline" to="/import">{say`Import`}</Link>}, and its daily shrinkage and growth appear here.`}</p>
      </section>
    );
  }
  const { unit, factor } = quantity("size", units);
  const size = (mm: number) => (mm * factor).toFixed(units === "us" ? 3 : 2);
  const most = Math.max(0.1, ...days.map((d) => d.shrinkage_mm));
  const grown = days.flatMap((d) => d.growth_mm ?? []);
  const least = Math.min(0, ...grown);
  const x = scaleLinear([0, Math.max(1, days.length - 1)], [EDGE.left + 6, WIDTH - EDGE.right - 6]);
  const y = scaleLinear([least, most], [HEIGHT - EDGE.bottom, EDGE.top]);
  const every = Math.max(1, Math.round(days.length / 8));
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: arrows scroll what a phone cannot show at once
    <section aria-label={say`Trunk`} className="relative mt-6 overflow-x-auto" tabIndex={0}>
      <h2 className="text-[17px] font-bold">
        {growth.trees > 1
          ? say`Trunk gauges of ${growth.trees} trees, their mean`
          : say`Trunk gauge, ${growth.trunk_sensor}`}
      </h2>
      <p>{say`Bars: how far the trunk shrinks in a day. Dots: growth since the day before. More shrinkage at the same weather and less growth mean less water within reach.`}</p>
      <Frame
        width={WIDTH}
        height={HEIGHT}
        label={say`Trunk, last ${days.length} days: shrinkage to ${size(most)} ${unit}`}
        x={x}
        y={y}
        xTicks={days.flatMap((d, i) =>
          i % every === 0 ? [{ at: i, label: dayMonth(wall(`${d.day}T00:00`)) }] : [],
        )}
        yTicks={roundTicks(least, most, 4, size)}
        yTitle={unit}
        time={byDay(
          days.map((d) => d.day),
          x,
        )}
        className="w-full min-w-[600px] max-w-[980px]"
      >
        {days.map((d, i) => (
          <g key={d.day}>
            <rect
              x={x(i) - 3}
              width={6}
              y={y(d.shrinkage_mm)}
              height={y(0) - y(d.shrinkage_mm)}
              className="fill-band stroke-ink-2"
            />
            {d.growth_mm !== null && d.growth_mm !== undefined && (
              <circle cx={x(i)} cy={y(d.growth_mm)} r={3} className="fill-deep" />
            )}
          </g>
        ))}
      </Frame>
    </section>
  );
}
