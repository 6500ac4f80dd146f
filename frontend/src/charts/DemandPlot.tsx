import type { Schemas } from "../api/client";
import { placeOf, usePointed } from "../app/pointed";
import { show, type UnitSystem } from "../lib/units";
import { say } from "../lib/words";
import { Crosshair } from "./Crosshair";
import { byDay } from "./Frame";

const WIDTH = 276;
const HEIGHT = 96;
const BASE = HEIGHT - 18;

/** Expected use day by day as bars, pale ahead, with the use the sensors saw as dots, in the wetted soil. */
export function DemandPlot({ days, units }: { days: Schemas["LedgerDay"][]; units: UnitSystem }) {
  const most = Math.max(4, ...days.map((d) => Math.max(d.expected_mm ?? 0, d.used_mm ?? 0)));
  const step = WIDTH / days.length;
  const y = (mm: number) => BASE - (mm / most) * (BASE - 12);
  const today = days.findIndex((d) => d.when === "ahead");
  const [, point] = usePointed();
  const scale = Object.assign((index: number) => (index + 0.5) * step, {
    invert: (place: number) => place / step - 0.5,
  });
  const time = byDay(
    days.map((d) => d.day),
    scale,
  );
  const seen = days.filter((d) => d.used_mm !== null).length;
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the line under the tabs moves what is pointed at by keys
    <svg
      onClick={(event) => point(time.at(placeOf(event, WIDTH)))}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="mt-2 block w-full"
      role="img"
      aria-label={say`Expected use of ${days.length} days, up to ${show(most, "use", units)}; the sensors saw ${seen} dry days of it`}
    >
      {days.map((d, i) => (
        <g key={d.day}>
          {d.expected_mm !== null && (
            <rect
              x={i * step + 1}
              width={Math.max(1, step - 2)}
              y={y(d.expected_mm)}
              height={BASE - y(d.expected_mm)}
              className={d.when === "past" ? "fill-deep" : "fill-none stroke-deep"}
              strokeDasharray={d.when === "ahead" ? "2 2" : undefined}
            />
          )}
          {d.used_mm !== null && d.used_mm > 0 && (
            <circle
              cx={(i + 0.5) * step}
              cy={y(d.used_mm)}
              r={2.6}
              className="fill-panel stroke-ink"
              strokeWidth={1.3}
            />
          )}
        </g>
      ))}
      <line x1={0} x2={WIDTH} y1={BASE} y2={BASE} className="stroke-ink" />
      <Crosshair x={time.x} left={0} right={WIDTH} top={2} bottom={BASE} days />
      {today > 0 && <line x1={today * step} x2={today * step} y1={4} y2={BASE + 4} className="stroke-ink" />}
      <text x={0} y={9} className="fill-ink-2 text-[10.5px]">
        {show(most, "use", units)}
      </text>
      <text
        x={0}
        y={HEIGHT - 4}
        className="fill-ink-2 text-[10.5px]"
      >{say`■ expected · ○ seen · dashed ahead`}</text>
    </svg>
  );
}
