import { scaleLinear } from "d3-scale";
import { type PointerEvent, useState } from "react";
import type { BlockContent, Schemas } from "../api/client";
import { clock, dayMonth } from "../lib/dates";
import { show, type UnitSystem } from "../lib/units";
import { DepthPicture } from "./DepthPicture";
import { LonePoints } from "./LonePoints";
import { linePath, nearest } from "./path";

const PLOT = 500;
const RIGHT = 112;
const WIDTH = PLOT + RIGHT;
const TOP = 34;
const STORAGE = 132;
const TRACE = 36;
const PICTURE = 92;
const DAY = 86400;

interface LadderProps {
  content: BlockContent;
  station: Schemas["StationOut"];
  offset: number;
  units: UnitSystem;
}

type Scale = (value: number) => number;

/** Sets and rain, storage between the marks, one trace a depth in soil order, and depth × time, on one time axis. */
export function Ladder({ content, station, offset, units }: LadderProps) {
  const [hover, setHover] = useState<number | null>(null);
  const start = content.times[0] ?? content.as_of_at - 28 * DAY;
  const end = Math.max(content.as_of_at, content.fan[content.fan.length - 1]?.at ?? 0);
  const x = scaleLinear([start, end], [0, PLOT]);
  const tracesTop = TOP + STORAGE + 14;
  const pictureTop = tracesTop + station.traces.length * TRACE + 10;
  const height = pictureTop + PICTURE + 20;
  const onMove = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const at = x.invert(((event.clientX - box.left) / box.width) * WIDTH);
    setHover(at <= content.as_of_at ? nearest(content.times, at) : null);
  };
  const at = hover === null ? undefined : content.times[hover];
  return (
    <div className="relative">
      <svg
        viewBox={`0 0 ${WIDTH} ${height}`}
        className="block w-full touch-pan-y"
        role="img"
        aria-label="Water over time: sets and rain, root-zone storage between its marks, each depth, and the whole profile"
        onPointerMove={onMove}
        onPointerLeave={() => setHover(null)}
      >
        <Waters content={content} x={x} units={units} />
        <Storage content={content} x={x} hover={hover} units={units} />
        {station.traces.map((trace, i) => (
          <Trace
            key={trace.sensor}
            trace={trace}
            times={content.times}
            x={x}
            top={tracesTop + i * TRACE}
            hover={hover}
            units={units}
          />
        ))}
        <TimeAxis x={x} top={TOP} bottom={pictureTop + PICTURE} range={[start, end]} offset={offset} />
        <RootFront
          depth={content.advice.root_depth_cm}
          station={station}
          top={pictureTop}
          to={x(content.as_of_at)}
          units={units}
        />
        <line
          x1={x(content.as_of_at)}
          x2={x(content.as_of_at)}
          y1={0}
          y2={pictureTop + PICTURE}
          className="stroke-ink"
        />
        {at !== undefined && (
          <g>
            <line
              x1={x(at)}
              x2={x(at)}
              y1={0}
              y2={pictureTop + PICTURE}
              className="stroke-deep"
              strokeDasharray="1 2"
            />
            <text x={Math.min(x(at) + 4, PLOT - 76)} y={10} className="fill-deep text-[11px] font-bold">
              {dayMonth(new Date((at + offset) * 1000))} {clock(new Date((at + offset) * 1000))}
            </text>
          </g>
        )}
      </svg>
      <DepthPicture
        times={content.times}
        station={station}
        place={{
          left: 0,
          right: x(content.as_of_at) / WIDTH,
          top: pictureTop / height,
          bottom: (pictureTop + PICTURE) / height,
        }}
      />
    </div>
  );
}

function Waters({ content, x, units }: { content: BlockContent; x: Scale; units: UnitSystem }) {
  const most = Math.max(20, ...content.sets.map((s) => s.gross_mm), ...content.rain.map((r) => r.depth_mm));
  const h = (mm: number) => (mm / most) * (TOP - 14);
  return (
    <g>
      {content.rain.map((r) => (
        <rect
          key={`r${r.start_at}`}
          x={x(r.start_at + 9 * 3600)}
          width={4}
          y={TOP - h(r.depth_mm)}
          height={h(r.depth_mm)}
          className="fill-ink-2"
        >
          <title>rain {show(r.depth_mm, "depth", units)}</title>
        </rect>
      ))}
      {content.sets.map((s) => (
        <rect
          key={`s${s.start_at}`}
          x={x(s.start_at)}
          width={Math.max(3, x(s.end_at) - x(s.start_at))}
          y={TOP - h(s.gross_mm)}
          height={h(s.gross_mm)}
          className="fill-deep"
        >
          <title>set, {show(s.gross_mm, "depth", units)} gross</title>
        </rect>
      ))}
      <line x1={0} x2={PLOT} y1={TOP} y2={TOP} className="stroke-ink" />
      <text x={PLOT + 6} y={TOP - 4} className="fill-ink-2 text-[11.5px]">
        <tspan className="fill-deep">■</tspan> sets ■ rain
      </text>
    </g>
  );
}

interface StorageProps {
  content: BlockContent;
  x: Scale;
  hover: number | null;
  units: UnitSystem;
}

function Storage({ content, x, hover, units }: StorageProps) {
  const { marks } = content.advice;
  const values = content.storage_mm.filter((v): v is number => v !== null);
  if (!marks) {
    return (
      <text x={0} y={TOP + 60} className="fill-ink-2 text-[13px]">
        No root-zone storage to draw.
      </text>
    );
  }
  const low = Math.min(
    marks.refill_mm - 0.25 * marks.allowable_mm,
    ...values,
    ...content.fan.map((f) => f.low_mm),
  );
  const high = Math.max(marks.full_mm + 0.15 * marks.allowable_mm, ...values);
  const y = scaleLinear([low, high], [TOP + STORAGE, TOP + 12]);
  const fan = content.fan;
  const area = `M${fan.map((f) => `${x(f.at)} ${y(f.high_mm)}`).join("L")}L${[...fan]
    .reverse()
    .map((f) => `${x(f.at)} ${y(f.low_mm)}`)
    .join("L")}Z`;
  const at = hover === null ? null : content.storage_mm[hover];
  return (
    <g>
      <rect
        x={0}
        width={PLOT}
        y={y(marks.full_mm)}
        height={y(marks.refill_mm) - y(marks.full_mm)}
        className="fill-band"
      />
      <line
        x1={0}
        x2={PLOT}
        y1={y(marks.full_mm)}
        y2={y(marks.full_mm)}
        className="stroke-ink"
        strokeWidth={1.8}
      />
      <line
        x1={0}
        x2={PLOT}
        y1={y(marks.refill_mm)}
        y2={y(marks.refill_mm)}
        className="stroke-ink"
        strokeWidth={1.4}
        strokeDasharray="2 2"
      />
      {fan.length > 1 && <path d={area} className="fill-deep" opacity={0.2} />}
      {fan.length > 1 && (
        <path
          d={`M${fan.map((f) => `${x(f.at)} ${y(f.mid_mm)}`).join("L")}`}
          fill="none"
          className="stroke-deep"
          strokeDasharray="4 3"
        />
      )}
      <path
        d={linePath(content.times, content.storage_mm, x, y)}
        fill="none"
        className="stroke-deep"
        strokeWidth={1.8}
      />
      <LonePoints times={content.times} values={content.storage_mm} x={x} y={y} r={2.6} />
      <MarkText y={y(marks.full_mm)} text={`full ${show(marks.full_mm, "depth", units)}`} />
      <MarkText
        y={Math.max(y(marks.refill_mm), y(marks.full_mm) + 13)}
        text={`refill ${show(marks.refill_mm, "depth", units)} ▲`}
      />
      {at !== null && at !== undefined && (
        <MarkText y={TOP + STORAGE} text={`then ${show(at, "depth", units)}`} strong />
      )}
    </g>
  );
}

function MarkText({ y, text, strong }: { y: number; text: string; strong?: boolean }) {
  return (
    <text x={PLOT + 6} y={y + 4} className={`text-[12px] ${strong ? "fill-deep font-bold" : "fill-ink"}`}>
      {text}
    </text>
  );
}

interface TraceProps {
  trace: Schemas["TraceOut"];
  times: number[];
  x: Scale;
  top: number;
  hover: number | null;
  units: UnitSystem;
}

function Trace({ trace, times, x, top, hover, units }: TraceProps) {
  const values = trace.theta.filter((v): v is number => v !== null);
  const low = Math.min(trace.theta_refill, ...values) - 0.004;
  const high = Math.max(trace.theta_full, ...values) + 0.004;
  const y = scaleLinear([low, high], [top + TRACE - 4, top + 3]);
  const at = hover === null ? values[values.length - 1] : trace.theta[hover];
  return (
    <g>
      <line x1={0} x2={WIDTH - 8} y1={top + TRACE - 0.5} y2={top + TRACE - 0.5} className="stroke-rule" />
      <line
        x1={0}
        x2={PLOT}
        y1={y(trace.theta_full)}
        y2={y(trace.theta_full)}
        className="stroke-ink-2"
        strokeWidth={0.8}
      />
      <line
        x1={0}
        x2={PLOT}
        y1={y(trace.theta_refill)}
        y2={y(trace.theta_refill)}
        className="stroke-ink-2"
        strokeWidth={0.8}
        strokeDasharray="1.5 2"
      />
      <path
        d={linePath(times, trace.theta, x, y)}
        fill="none"
        className={trace.in_roots ? "stroke-ink" : "stroke-ink-2"}
        strokeWidth={trace.in_roots ? 1.3 : 1}
      />
      <LonePoints times={times} values={trace.theta} x={x} y={y} r={1.8} className="fill-ink" />
      <path d={crosses(trace.flagged, times, x, y, top)} fill="none" className="stroke-ink" strokeWidth={0.9}>
        <title>{`not used: ${trace.faults.join("; ")}`}</title>
      </path>
      <text x={PLOT + 6} y={top + TRACE / 2 + 4} className="fill-ink text-[12px] font-bold">
        {show(trace.depth_cm, "soilDepth", units)}
        <tspan dx={7} className={`font-normal ${hover === null ? "fill-ink-2" : "fill-deep"}`}>
          {at === null || at === undefined ? "–" : `${(100 * at).toFixed(0)} %`}
        </tspan>
      </text>
      {!trace.in_roots && (
        <text x={WIDTH - 8} y={top + TRACE - 5} textAnchor="end" className="fill-ink-2 text-[11px]">
          watch only
        </text>
      )}
    </g>
  );
}

/** Readings that are kept and not used, as small crosses, held within their trace's lane. */
function crosses(
  flagged: number[][],
  times: number[],
  x: Scale,
  y: (theta: number) => number,
  top: number,
): string {
  const first = times[0] ?? 0;
  return flagged
    .filter(([at = 0]) => at >= first)
    .map(([at = 0, theta = 0]) => {
      const cx = x(at);
      const cy = Math.min(top + TRACE - 4, Math.max(top + 3, y(theta)));
      return `M${cx - 2} ${cy - 2}l4 4M${cx - 2} ${cy + 2}l4 -4`;
    })
    .join("");
}

interface AxisProps {
  x: Scale;
  top: number;
  bottom: number;
  range: [number, number];
  offset: number;
}

function TimeAxis({ x, top, bottom, range, offset }: AxisProps) {
  const days = (range[1] - range[0]) / DAY;
  const every = [1, 2, 7, 14, 28].find((n) => days / n <= 7) ?? 56;
  const first = Math.ceil((range[0] + offset) / DAY) * DAY - offset;
  const ticks = Array.from({ length: Math.ceil(days / every) }, (_, i) => first + i * every * DAY).filter(
    (t) => t <= range[1],
  );
  return (
    <g>
      {ticks.map((t) => (
        <g key={t}>
          <line x1={x(t)} x2={x(t)} y1={top} y2={bottom} className="stroke-rule" strokeWidth={0.6} />
          <text
            x={x(t)}
            y={bottom + 14}
            textAnchor={x(t) < 20 ? "start" : "middle"}
            className="fill-ink-2 text-[11.5px]"
          >
            {dayMonth(new Date((t + offset) * 1000))}
          </text>
        </g>
      ))}
    </g>
  );
}

interface RootFrontProps {
  depth: number | null;
  station: Schemas["StationOut"];
  top: number;
  to: number;
  units: UnitSystem;
}

function RootFront({ depth, station, top, to, units }: RootFrontProps) {
  const bottom = station.layers[station.layers.length - 1]?.bottom_cm;
  if (!bottom) return null;
  const y = (cm: number) => top + (cm / bottom) * PICTURE;
  return (
    <g>
      <text x={PLOT + 6} y={top + 9} className="fill-ink-2 text-[11.5px]">
        {show(0, "soilDepth", units)}
      </text>
      <text x={PLOT + 6} y={top + PICTURE} className="fill-ink-2 text-[11.5px]">
        {show(bottom, "soilDepth", units)}
      </text>
      {depth !== null && (
        <>
          <line
            x1={0}
            x2={to}
            y1={y(depth)}
            y2={y(depth)}
            className="stroke-ink"
            strokeDasharray="7 4"
            strokeWidth={1.4}
          />
          <text
            x={PLOT + 6}
            y={Math.min(y(depth) + 2, top + PICTURE - 12)}
            className="fill-ink-2 text-[11.5px]"
          >
            root front
          </text>
        </>
      )}
    </g>
  );
}
