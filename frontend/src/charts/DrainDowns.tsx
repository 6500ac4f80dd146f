import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { say } from "../lib/words";
import { EDGE, Frame, pathOf, percentText, roundTicks } from "./Frame";

type Event = Schemas["DrainDownOut"];

interface Props {
  events: Event[];
  inForce: number;
  median: number | null;
}

const WIDTH = 420;
const HEIGHT = 210;

/** Each drain-down as the nights show it: solid where it was accepted, pale where it was rejected. */
export function DrainDowns({ events, inForce, median }: Props) {
  const shown = events.filter((e) => e.nights.length > 0);
  const thetas = [
    inForce,
    ...(median === null ? [] : [median]),
    ...shown.flatMap((e) => e.nights.map((n) => n.theta)),
  ];
  const low = Math.min(...thetas) - 0.01;
  const high = Math.max(...thetas) + 0.01;
  const x = scaleLinear([0, 96], [EDGE.left, WIDTH - EDGE.right - 70]);
  const y = scaleLinear([low, high], [HEIGHT - EDGE.bottom, EDGE.top]);
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
      className="w-full max-w-[460px]"
    >
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
      <Mark y={y(inForce)} label={say`in force`} dash="" />
      {median !== null && Math.abs(y(median) - y(inForce)) > 1 && (
        <Mark y={y(median)} label={say`field`} dash="7 3" low={Math.abs(y(median) - y(inForce)) < 12} />
      )}
    </Frame>
  );
}

function Mark({ y, label, dash, low = false }: { y: number; label: string; dash: string; low?: boolean }) {
  const right = WIDTH - EDGE.right - 66;
  return (
    <g>
      <line
        x1={EDGE.left}
        x2={right}
        y1={y}
        y2={y}
        className="stroke-ink"
        strokeWidth={1.4}
        strokeDasharray={dash}
      />
      <text x={right + 4} y={y + (low ? 12 : 4)} className="fill-ink text-[11.5px]">
        {label}
      </text>
    </g>
  );
}
