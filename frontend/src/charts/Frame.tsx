import { ticks } from "d3-array";
import { line } from "d3-shape";
import type { ReactNode } from "react";
import { placeOf, usePointed } from "../app/pointed";
import { Crosshair } from "./Crosshair";

export interface Tick {
  at: number;
  label: string;
}

interface FrameProps {
  width: number;
  height: number;
  label: string;
  x: (value: number) => number;
  y: (value: number) => number;
  xTicks: Tick[];
  yTicks: Tick[];
  xTitle?: string;
  yTitle?: string;
  children: ReactNode;
  /** For a drawing along the time: where a moment of the farm's wall clock [s] stands, and the moment of a place. */
  time?: { x: (wallS: number) => number; at: (place: number) => number; days?: boolean };
  className?: string;
}

export const EDGE = { left: 46, right: 12, top: 18, bottom: 36 };

/** Paper for a drawing with two scales: hairlines, figures at the edge, what each scale is. */
export function Frame({
  width,
  height,
  label,
  x,
  y,
  xTicks,
  yTicks,
  xTitle,
  yTitle,
  children,
  time,
  className = "w-full",
}: FrameProps) {
  const bottom = height - EDGE.bottom;
  const right = width - EDGE.right;
  const [, point] = usePointed();
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the line under the tabs moves what is pointed at by keys
    <svg
      viewBox={`0 0 ${width} ${height}`}
      className={`block ${className}`}
      role="img"
      aria-label={label}
      onClick={time && ((event) => point(time.at(placeOf(event, width))))}
    >
      {yTicks.map((t) => (
        <g key={t.at}>
          <line x1={EDGE.left} x2={right} y1={y(t.at)} y2={y(t.at)} className="stroke-rule" />
          <text x={EDGE.left - 6} y={y(t.at) + 4} textAnchor="end" className="fill-ink-2 text-[11px]">
            {t.label}
          </text>
        </g>
      ))}
      {xTicks.map((t) => (
        <g key={t.at}>
          <line x1={x(t.at)} x2={x(t.at)} y1={bottom} y2={bottom + 4} className="stroke-ink-2" />
          <text x={x(t.at)} y={bottom + 16} textAnchor="middle" className="fill-ink-2 text-[11px]">
            {t.label}
          </text>
        </g>
      ))}
      <line x1={EDGE.left} x2={right} y1={bottom} y2={bottom} className="stroke-ink-2" />
      {xTitle && (
        <text
          x={(EDGE.left + right) / 2}
          y={height - 4}
          textAnchor="middle"
          className="fill-ink-2 text-[11px]"
        >
          {xTitle}
        </text>
      )}
      {yTitle && (
        <text x={4} y={11} className="fill-ink-2 text-[11px]">
          {yTitle}
        </text>
      )}
      {children}
      {time && (
        <Crosshair
          x={time.x}
          left={EDGE.left}
          right={right}
          top={EDGE.top}
          bottom={bottom}
          days={time.days ?? false}
        />
      )}
    </svg>
  );
}

/** The time of a drawing with a place a day, in the order of the days: the day a moment lies in, and its noon back. */
export function byDay(
  days: string[],
  x: { (index: number): number; invert: (place: number) => number },
): NonNullable<FrameProps["time"]> {
  return {
    x: (wallS) => {
      const found = days.indexOf(new Date(wallS * 1000).toISOString().slice(0, 10));
      return found < 0 ? Number.NaN : x(found);
    },
    at: (place) => {
      const index = Math.min(days.length - 1, Math.max(0, Math.round(x.invert(place))));
      return Date.parse(`${days[index]}T12:00Z`) / 1000;
    },
    days: true,
  };
}

/** Round figures between two ends, about so many of them. */
export function roundTicks(low: number, high: number, count: number, text: (v: number) => string): Tick[] {
  if (!(high > low)) return [{ at: low, label: text(low) }];
  return ticks(low, high, count).map((at) => ({ at, label: text(at) }));
}

/** A share of water as whole percent. */
export function percentText(theta: number): string {
  return String(Math.round(theta * 100));
}

/** Points of a line as an SVG path; a place without a value breaks it. */
export function pathOf(points: ([number, number] | null)[]): string {
  return drawn(points) ?? "";
}

const drawn = line<[number, number] | null>()
  .defined((point) => point !== null && Number.isFinite(point[1]))
  .x((point) => point?.[0] ?? 0)
  .y((point) => point?.[1] ?? 0)
  .digits(1);
