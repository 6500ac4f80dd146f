import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { show, type UnitSystem } from "../lib/units";
import { say } from "../lib/words";
import { EDGE, Frame, pathOf, roundTicks } from "./Frame";

const WIDTH = 600;
const HEIGHT = 300;
const WORDS_ROOM = 44;
/** Two depletions that are said with the same figure [mm]. */
export const SAME_MM = 0.5;

interface Span {
  at: number;
  low?: number | null;
  high?: number | null;
}

interface Props {
  found: Schemas["SlowDownOut"];
  units: UnitSystem;
  /** Available water of the root zone [mm]: where the scale ends. */
  available: number | null;
  /** Depletion at the refill point in force [mm]. */
  inForce: number | null;
  /** Depletion the answer looked at speaks of [mm]; absent for an answer in kPa. */
  looked: Span | null;
  /** Depletions the other answers speak of [mm]. */
  others: number[];
}

/** Where each answer lies between full and wilting, over how the crop drank as the soil dried. */
export function RefillEvidence({ found, units, available, inForce, looked, others }: Props) {
  const points = found.points.map(([d = 0, r = 0]): [number, number] => [d, r]);
  const most = Math.max(10, available ?? 0, looked?.at ?? 0, ...points.map(([d]) => d));
  const top = Math.min(2.5, Math.max(1.3, ...points.map(([, r]) => r)));
  const x = scaleLinear([0, most], [EDGE.left, WIDTH - EDGE.right]);
  const y = scaleLinear([0, top], [HEIGHT - EDGE.bottom, EDGE.top + WORDS_ROOM]).clamp(true);
  const bottom = HEIGHT - EDGE.bottom;
  const [low, high] = found.interval_mm ?? [];
  const band = looked?.low != null && looked.high != null ? ([looked.low, looked.high] as const) : null;
  const same = looked !== null && inForce !== null && Math.abs(looked.at - inForce) < SAME_MM;
  const depth = (mm: number) => show(mm, "depth", units);
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`Use over demand against depletion, ${points.length} days. ${found.words}`}
      x={x}
      y={y}
      xTicks={roundTicks(0, most, 6, (v) => show(v, "depth", units, false))}
      yTicks={points.length ? roundTicks(0, top, 4, (v) => v.toFixed(1)) : []}
      xTitle={say`depletion at dawn, ${units === "us" ? "in" : "mm"}`}
      yTitle={points.length ? say`use ÷ what the weather asks` : ""}
      className="w-full max-w-[640px]"
    >
      {low !== undefined && high !== undefined && (
        <rect
          x={x(low)}
          width={Math.max(1, x(high) - x(low))}
          y={y(top)}
          height={bottom - y(top)}
          className="fill-band"
        />
      )}
      {band && (
        <rect
          x={x(band[0])}
          width={Math.max(1, x(band[1]) - x(band[0]))}
          y={EDGE.top + WORDS_ROOM - 8}
          height={6}
          className="fill-ink-2"
        />
      )}
      {others.map((mm) => (
        <line
          key={mm}
          x1={x(mm)}
          x2={x(mm)}
          y1={bottom - 9}
          y2={bottom}
          className="stroke-ink"
          strokeWidth={1.3}
        />
      ))}
      {points.map(([d, r], i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: days in their order
        <circle key={i} cx={x(d)} cy={y(r)} r={3.5} className="fill-deep" />
      ))}
      <path
        d={pathOf(found.line.map(([d = 0, r = 0]) => [x(d), y(r)]))}
        fill="none"
        className="stroke-ink"
        strokeWidth={1.8}
      />
      {inForce !== null && !same && (
        <Upright at={x(inForce)} row={1} words={say`in force: ${depth(inForce)}`} dash="2 3" />
      )}
      {looked && (
        <Upright
          at={x(looked.at)}
          row={0}
          words={
            same ? say`▲ this answer, in force: ${depth(looked.at)}` : say`▲ this answer: ${depth(looked.at)}`
          }
          dash=""
        />
      )}
    </Frame>
  );
}

/** An upright line with its words above, on the side where there is room. */
function Upright({ at, row, words, dash }: { at: number; row: 0 | 1; words: string; dash: string }) {
  const left = at > 0.66 * WIDTH;
  const y = EDGE.top + 14 + row * 15;
  return (
    <g>
      <line
        x1={at}
        x2={at}
        y1={y - 10}
        y2={HEIGHT - EDGE.bottom}
        className="stroke-ink"
        strokeWidth={row ? 1.4 : 2.2}
        strokeDasharray={dash}
      />
      <text
        x={at + (left ? -5 : 5)}
        y={y}
        textAnchor={left ? "end" : "start"}
        className={`fill-ink stroke-paper text-[12px] [paint-order:stroke] ${row ? "" : "font-bold"}`}
        strokeWidth={3}
      >
        {words}
      </text>
    </g>
  );
}
