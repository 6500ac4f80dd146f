import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { say } from "../lib/words";
import { EDGE, Frame, pathOf, percentText, roundTicks } from "./Frame";

type Event = Schemas["DrainDownOut"];

interface Props {
  events: Event[];
  inForce: number;
  /** The answer looked at: its value and its range [m³/m³]. */
  looked: { theta: number; low?: number | null; high?: number | null } | null;
}

const WIDTH = 600;
const HEIGHT = 320;

/** Each drain-down as the nights show it: solid where it was accepted, pale where it was rejected. */
export function DrainDowns({ events, inForce, looked }: Props) {
  const shown = events.filter((e) => e.nights.length > 0);
  const thetas = [
    inForce,
    ...(looked ? [looked.theta, looked.low ?? looked.theta, looked.high ?? looked.theta] : []),
    ...shown.flatMap((e) => e.nights.map((n) => n.theta)),
  ];
  const low = Math.min(...thetas) - 0.01;
  const high = Math.max(...thetas) + 0.01;
  const x = scaleLinear([0, 96], [EDGE.left, WIDTH - EDGE.right - 96]);
  const y = scaleLinear([low, high], [HEIGHT - EDGE.bottom, EDGE.top]);
  const same = looked !== null && Math.abs(looked.theta - inForce) < 5e-4;
  const accepted = shown.filter((e) => e.theta !== null).length;
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`${shown.length} drain-downs by night, ${accepted} accepted; full point in force ${percentText(inForce)} percent`}
      x={x}
      y={y}
      xTicks={[0, 24, 48, 72, 96].map((at) => ({ at, label: String(at) }))}
      yTicks={roundTicks(low, high, 4, percentText)}
      xTitle={say`hours after the wetting`}
      yTitle={say`water at night, % by volume`}
      className="w-full max-w-[640px]"
    >
      {looked?.low != null && looked.high != null && (
        <rect
          x={EDGE.left}
          width={WIDTH - EDGE.right - 92 - EDGE.left}
          y={y(looked.high)}
          height={Math.max(1, y(looked.low) - y(looked.high))}
          className="fill-band"
        />
      )}
      {shown.map((e) => (
        <g key={`${e.station} ${e.ended}`} className={e.theta === null ? "opacity-35" : ""}>
          <path
            d={pathOf(e.nights.map((n) => [x(n.hours), y(n.theta)]))}
            fill="none"
            className="stroke-deep"
            strokeWidth={1.2}
            strokeDasharray={e.theta === null ? "3 3" : ""}
          />
          {e.nights.map((n) => (
            <circle
              key={n.hours}
              cx={x(n.hours)}
              cy={y(n.theta)}
              r={n.theta === e.theta ? 4 : 2}
              className={n.theta === e.theta ? "fill-ink" : "fill-deep"}
            />
          ))}
        </g>
      ))}
      {!same && <Mark y={y(inForce)} label={say`in force`} dash="2 3" />}
      {looked && (
        <Mark
          y={y(looked.theta)}
          label={same ? say`in force` : say`this answer`}
          dash=""
          moved={
            !same && Math.abs(y(looked.theta) - y(inForce)) < 12 ? (looked.theta < inForce ? 12 : -12) : 0
          }
        />
      )}
    </Frame>
  );
}

function Mark({ y, label, dash, moved = 0 }: { y: number; label: string; dash: string; moved?: number }) {
  const right = WIDTH - EDGE.right - 92;
  return (
    <g>
      <line
        x1={EDGE.left}
        x2={right}
        y1={y}
        y2={y}
        className="stroke-ink"
        strokeWidth={dash ? 1.4 : 2.2}
        strokeDasharray={dash}
      />
      <text x={right + 4} y={y + 4 + moved} className="fill-ink text-[11.5px]">
        {label}
      </text>
    </g>
  );
}
