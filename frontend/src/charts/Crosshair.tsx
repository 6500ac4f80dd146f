import { usePointed } from "../app/pointed";
import { clock, dayMonth } from "../lib/dates";

interface CrosshairProps {
  /** Place of a moment of the farm's wall clock [s] along the drawing. */
  x: (wallS: number) => number;
  left: number;
  right: number;
  top: number;
  bottom: number;
  /** Whether the drawing knows days only, so that the hour is not said. */
  days?: boolean;
}

const WORDS_WIDE = 78;

/** The moment pointed at, where this drawing reaches it. */
export function Crosshair({ x, left, right, top, bottom, days = false }: CrosshairProps) {
  const [pointed] = usePointed();
  if (pointed === null) return null;
  const at = x(pointed);
  if (!(at >= left && at <= right)) return null;
  const moment = new Date(pointed * 1000);
  return (
    <g data-testid="crosshair">
      <line
        x1={at}
        x2={at}
        y1={top}
        y2={bottom}
        className="stroke-deep"
        strokeDasharray="1 2"
        strokeWidth={1.6}
      />
      <text
        x={at + WORDS_WIDE > right ? at - 4 : at + 4}
        y={top + 10}
        textAnchor={at + WORDS_WIDE > right ? "end" : "start"}
        strokeWidth={3}
        className="fill-deep stroke-paper text-[11px] font-bold [paint-order:stroke]"
      >
        {dayMonth(moment)} {!days && clock(moment)}
      </text>
    </g>
  );
}
