import { useUnits } from "../app/farm";
import { show } from "../lib/units";
import { waterColour } from "../lib/waterScale";
import { say } from "../lib/words";

interface GainProps {
  expected: number | null;
  gained: number | null;
  error: number | null;
  most: number;
}

const WIDE = 170;
const HIGH = 14;

/** Expected in the roots as an outline, gained as a bar in it with its error as a line; figures beside. */
export function GainBar({ expected, gained, error, most }: GainProps) {
  const units = useUnits();
  const x = (mm: number) => (WIDE * Math.max(0, mm)) / Math.max(most, 1);
  const off = error ?? 0;
  const words =
    gained === null
      ? expected === null
        ? say`not told`
        : say`not told, of ${show(expected, "depth", units)}`
      : say`${show(gained, "depth", units, false)} of ${expected === null ? "?" : show(expected, "depth", units)}`;
  return (
    <span className="flex items-center gap-2">
      <svg
        viewBox={`0 0 ${WIDE + 2} ${HIGH + 2}`}
        className="h-4 w-[172px] max-w-full shrink"
        role="img"
        aria-label={say`Gained ${words}`}
      >
        {gained !== null && (
          <rect x={1} y={3} width={x(gained)} height={HIGH - 4} className="fill-deep" data-gained />
        )}
        {expected !== null && (
          <rect x={1} y={1} width={x(expected)} height={HIGH} className="fill-none stroke-ink" />
        )}
        {gained !== null && off > 0 && (
          <g stroke={waterColour(0.35)} strokeWidth={2}>
            <line x1={1 + x(gained - off)} x2={1 + x(gained + off)} y1={8} y2={8} />
            <line x1={1 + x(gained + off)} x2={1 + x(gained + off)} y1={5} y2={11} />
            <line x1={1 + x(gained - off)} x2={1 + x(gained - off)} y1={5} y2={11} />
          </g>
        )}
      </svg>
      <span className="figure shrink-0">{words}</span>
    </span>
  );
}

interface ReachProps {
  reach: number | null;
  wanted: number | null;
  below: number | null;
}

const DEEP = 34;

/** How deep a set reached against the dashed depth it was to refill; clay under it for water that went below. */
export function ReachColumn({ reach, wanted, below }: ReachProps) {
  const units = useUnits();
  if (reach === null) return <span className="secondary">–</span>;
  const most = Math.max(reach, wanted ?? 0, 1);
  const y = (cm: number) => (DEEP * cm) / most;
  const root = wanted === null ? undefined : y(wanted);
  const lost = below !== null && below >= 1;
  return (
    <span className="flex items-center gap-2">
      <svg viewBox={`0 0 62 ${DEEP + 6}`} className="h-10 w-[62px] shrink-0" aria-hidden="true">
        <line x1={0} x2={62} y1={1} y2={1} className="stroke-ink" />
        <rect
          x={8}
          y={1}
          width={26}
          height={Math.max(1, y(Math.min(reach, wanted ?? reach)))}
          fill={waterColour(0.65)}
        />
        {root !== undefined && (
          <line x1={0} x2={62} y1={1 + root} y2={1 + root} className="stroke-ink" strokeDasharray="3 2" />
        )}
        {lost && root !== undefined && (
          <rect x={8} y={1 + root} width={26} height={4} className="fill-clay" data-lost />
        )}
      </svg>
      <span className="figure whitespace-nowrap">{show(reach, "soilDepth", units)}</span>
    </span>
  );
}
