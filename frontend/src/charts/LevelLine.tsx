import type { Schemas } from "../api/client";
import { waterColour } from "../lib/waterScale";
import { say } from "../lib/words";

const WIDTH = 230;
const FULL_AT = 0.78;

type Marks = Schemas["MarksOut"];

/** Place on the rule [0, 1]: wilting at 0, the full point always at the same place, saturation at the end. */
export function levelPlace(storage: number, marks: Marks): number {
  if (storage <= marks.full_mm) {
    const share = (storage - marks.wilting_mm) / (marks.full_mm - marks.wilting_mm);
    return FULL_AT * Math.max(0, share);
  }
  const above = (storage - marks.full_mm) / Math.max(1e-6, marks.saturation_mm - marks.full_mm);
  return FULL_AT + (1 - FULL_AT) * Math.min(1, above);
}

interface LevelLineProps {
  marks: Marks;
  storage: number;
  projected: number[];
  label: string;
}

/** One block's water on a single rule; the slices at the bar's end are the coming days down to refill. */
export function LevelLine({ marks, storage, projected, label }: LevelLineProps) {
  const x = (mm: number) => levelPlace(mm, marks) * WIDTH;
  const share = (storage - marks.wilting_mm) / marks.taw_mm;
  const edges = [storage, ...projected];
  const solidTo = x(edges[edges.length - 1] ?? storage);
  const fill = waterColour(share);
  const refill = x(marks.refill_mm);
  const full = x(marks.full_mm);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} 32`}
      width="100%"
      className="block sm:max-w-[300px]"
      role="img"
      aria-label={label}
    >
      <rect x={0} y={6} width={Math.max(0, solidTo)} height={12} fill={fill} />
      {edges.slice(0, -1).map((from, i) => {
        const to = x(edges[i + 1] ?? from);
        const thin = Math.max(2, 12 - 1.6 * i);
        return (
          <rect
            key={from}
            x={to + 1.5}
            width={Math.max(0.5, x(from) - to - 1.5)}
            y={12 - thin / 2}
            height={thin}
            fill={fill}
          />
        );
      })}
      <line x1={0} x2={WIDTH} y1={21.5} y2={21.5} className="stroke-ink-2" strokeWidth={1.2} />
      <line
        x1={refill}
        x2={refill}
        y1={1}
        y2={21}
        className="stroke-ink"
        strokeWidth={1.8}
        strokeDasharray="2 2"
      />
      <path d={`M${refill - 4.5} 30h9l-4.5 -8z`} className="fill-ink" />
      <line x1={full} x2={full} y1={1} y2={25} className="stroke-ink" strokeWidth={1.8} />
    </svg>
  );
}

/** Words over the column, placed as the marks are. */
export function LevelLegend() {
  return (
    <div className="secondary relative h-4 max-w-[300px] text-[12px]!" aria-hidden="true">
      <span className="absolute left-0">{say`wilting`}</span>
      <span className="absolute max-[900px]:hidden" style={{ left: "38%" }}>{say`refill ▲`}</span>
      <span
        className="absolute -translate-x-full pl-1 max-[900px]:hidden"
        style={{ left: `${FULL_AT * 100}%` }}
      >{say`full`}</span>
      <span className="absolute right-0">{say`saturated`}</span>
    </div>
  );
}
