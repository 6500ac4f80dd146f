import { useUnits } from "../../app/farm";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import type { Sheet } from "./queries";

const WIDTH = 440;
const TOP = 34;
const DEEP = 300;

/** The farm's mark of a depth in words: number, colour, knots. */
export function markWords(mark: Sheet["sensors"][number]["mark"]): string {
  if (!mark) return "";
  const knots = mark.knots ? `${mark.knots} ${mark.knots === 1 ? say`knot` : say`knots`}` : "";
  return [mark.number, mark.colour, knots].filter(Boolean).join(", ");
}

/** The hole drawn to scale: each sensor at its depth, with the farm's mark and its channel. */
export function Hole({ sheet }: { sheet: Sheet }) {
  const units = useUnits();
  const sensors = [...sheet.sensors].sort((a, b) => a.depth_cm - b.depth_cm);
  const most = Math.max(20, ...sensors.map((s) => s.depth_cm)) * 1.12;
  const y = (cm: number) => TOP + (cm / most) * DEEP;
  const places = spread(sensors.map((s) => y(s.depth_cm)));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${TOP + DEEP + 6}`}
      className="block w-full max-w-[460px]"
      role="img"
      aria-label={say`The hole: ${sensors.map((s) => `${show(s.depth_cm, "soilDepth", units)} ${markWords(s.mark)}`).join("; ")}`}
    >
      <line x1={0} x2={WIDTH} y1={TOP} y2={TOP} className="stroke-ink" strokeWidth={2} />
      <path
        d={`M 34 ${TOP} V ${TOP + DEEP} H 76 V ${TOP}`}
        className="fill-band stroke-ink-2"
        strokeDasharray="4 3"
      />
      <path d={`M 55 ${y(0)} V 12 H 96`} className="fill-none stroke-ink" strokeWidth={1.5} />
      <text x={102} y={16} className="fill-ink-2 text-[12px]">{say`to the logger`}</text>
      {sensors.map((s, i) => (
        <g key={s.ref}>
          <line x1={55} x2={55} y1={TOP} y2={y(s.depth_cm)} className="stroke-ink" strokeWidth={1} />
          <rect
            x={47}
            y={y(s.depth_cm) - 6}
            width={16}
            height={12}
            rx={2}
            className={s.depth_known ? "fill-deep" : "fill-panel stroke-ink"}
            strokeDasharray={s.depth_known ? undefined : "2 2"}
          />
          <line x1={64} x2={92} y1={y(s.depth_cm)} y2={places[i] ?? y(s.depth_cm)} className="stroke-ink-2" />
          <text x={96} y={(places[i] ?? y(s.depth_cm)) + 4} className="fill-ink text-[13px] font-bold">
            {s.depth_known ? show(s.depth_cm, "soilDepth", units) : say`depth not known`}
          </text>
          <text x={216} y={(places[i] ?? y(s.depth_cm)) + 4} className="fill-ink-2 text-[13px]">
            {markWords(s.mark)}
          </text>
          <text x={312} y={(places[i] ?? y(s.depth_cm)) + 4} className="figure fill-ink-2 text-[11.5px]">
            {s.channel.slice(0, 18)}
          </text>
        </g>
      ))}
    </svg>
  );
}

/** Lines of writing kept apart by their height. */
function spread(wanted: number[]): number[] {
  let last = Number.NEGATIVE_INFINITY;
  return wanted.map((at) => {
    last = Math.max(at, last + 17);
    return last;
  });
}
