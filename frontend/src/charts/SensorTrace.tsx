import { type ScaleLinear, scaleLinear, scaleUtc } from "d3-scale";
import type { Schemas } from "../api/client";
import { dayMonth } from "../lib/dates";
import { say, sayCode } from "../lib/words";
import { LonePoints } from "./LonePoints";
import { JOINED_S, linePath, lonePoints } from "./path";

type Content = Schemas["SensorPageContent"];
const WIDTH = 1232;
const HEIGHT = 240;
const LEFT = 46;
const BOTTOM = 26;

/** A sensor's trace; what is not used stands beside it as small crosses, or dotted over a pale band where it lasts. */
export function SensorTrace({ content }: { content: Content }) {
  const { times, values, flagged } = content;
  const first = times[0];
  const last = times[times.length - 1];
  if (first === undefined || last === undefined)
    return <p className="mt-3">{say`No readings in this time.`}</p>;
  const known = [...values.filter((v): v is number => v !== null), ...flagged.map((f) => f[1] ?? 0)];
  const x = scaleUtc([first * 1000, last * 1000], [LEFT, WIDTH - 8]);
  const y = scaleLinear([Math.min(...known), Math.max(...known)], [HEIGHT - BOTTOM, 10]).nice(5);
  const at = (time: number) => x(time * 1000);
  const bands = content.faults.filter((f) => f.kept_out && f.end_at - f.start_at > JOINED_S);
  const inBand = ([at = 0]: number[]) => bands.some((f) => f.start_at <= at && at <= f.end_at);
  const noted = content.faults.filter((f) => !f.kept_out && f.verdict !== "overruled");
  const lasting = flagged.filter(inBand);
  const alone = flagged.filter((point) => !inBand(point));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="mt-3 block w-full"
      role="img"
      aria-label={say`${times.length} readings in ${content.unit}, ${flagged.length} of them not used`}
    >
      <Levels y={y} count={5} />
      <text x={4} y={12} className="fill-ink-2 text-[11px]">
        {sayCode(content.unit)}
      </text>
      {x.ticks(8).map((tick) => (
        <text
          key={tick.getTime()}
          x={x(tick)}
          y={HEIGHT - 8}
          textAnchor="middle"
          className="fill-ink-2 text-[11px]"
        >
          {dayMonth(tick)}
        </text>
      ))}
      {bands.map((f) => {
        const from = x(Math.max(f.start_at, first) * 1000);
        const to = x(Math.min(f.end_at, last) * 1000);
        return (
          <rect
            key={f.id}
            x={from}
            width={Math.max(2, to - from)}
            y={10}
            height={HEIGHT - BOTTOM - 10}
            className="fill-band"
          />
        );
      })}
      {noted.map((f) => (
        <Noted key={f.id} fault={f} from={Math.max(f.start_at, first)} at={at} />
      ))}
      <path d={linePath(times, values, at, y)} fill="none" className="stroke-deep" strokeWidth={1.4} />
      <LonePoints points={lonePoints(times, values)} x={at} y={y} />
      <path
        d={linePath(
          lasting.map(([time = 0]) => time),
          lasting.map(([, value = 0]) => value),
          at,
          y,
        )}
        fill="none"
        className="stroke-ink-2"
        strokeWidth={1.2}
        strokeDasharray="2 3"
      />
      <path
        d={alone.map(([at = 0, value = 0]) => cross(x(at * 1000), y(value))).join("")}
        fill="none"
        className="stroke-ink"
        strokeWidth={1}
      />
    </svg>
  );
}

/** Rules across the drawing at round values, each with its figure. */
function Levels({ y, count }: { y: ScaleLinear<number, number>; count: number }) {
  return y.ticks(count).map((tick) => (
    <g key={tick}>
      <line x1={LEFT} x2={WIDTH - 8} y1={y(tick)} y2={y(tick)} className="stroke-rule" />
      <text x={LEFT - 6} y={y(tick) + 4} textAnchor="end" className="fill-ink-2 text-[11px]">
        {tick}
      </text>
    </g>
  ));
}

/** What is doubted but used, or missing: a line under its time with its name. */
function Noted(props: { fault: Content["faults"][number]; from: number; at: (time: number) => number }) {
  const { fault, from, at } = props;
  const left = at(from);
  const right = Math.min(WIDTH - 8, Math.max(left + 3, at(fault.end_at)));
  if (right < LEFT) return null;
  return (
    <g>
      <path d={`M${left} 6v-4H${right}v4`} fill="none" className="stroke-ink" strokeWidth={1} />
      <text x={(left + right) / 2} y={17} textAnchor="middle" className="fill-ink-2 text-[11px]">
        {sayCode(fault.fault)}
      </text>
    </g>
  );
}

/** What else is measured at the sensor's depth, on the sensor's own time axis. */
export function CompanionTrace(props: {
  trace: Content["companions"][number];
  span: [number, number];
  unit: string;
  shown: (value: number) => number;
}) {
  const { trace, span, unit, shown } = props;
  const values = trace.values.map(shown);
  if (values.length === 0) return null;
  const height = 96;
  const x = scaleUtc([span[0] * 1000, span[1] * 1000], [LEFT, WIDTH - 8]);
  const y = scaleLinear([Math.min(...values), Math.max(...values)], [height - 8, 18]).nice(3);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="block w-full"
      role="img"
      aria-label={say`Soil ${trace.quantity} in ${unit}, ${values.length} readings`}
    >
      <Levels y={y} count={3} />
      <text x={4} y={12} className="fill-ink-2 text-[11px]">{say`soil ${trace.quantity}, ${unit}`}</text>
      <path
        d={linePath(trace.times, values, (time) => x(time * 1000), y)}
        fill="none"
        className="stroke-ink-2"
        strokeWidth={1.2}
      />
    </svg>
  );
}

const cross = (x: number, y: number) => `M${x - 3} ${y - 3}l6 6M${x - 3} ${y + 3}l6 -6`;
