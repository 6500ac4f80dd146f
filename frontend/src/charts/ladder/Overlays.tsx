import { useMemo } from "react";
import type { BlockContent, Schemas } from "../../api/client";
import { dayMonth } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { LonePoints } from "../LonePoints";
import { lonePoints } from "../path";
import {
  DAY,
  PICTURE,
  PLOT,
  type Scale,
  STORAGE,
  storageRange,
  straight,
  TOP,
  traceRange,
  type View,
  WIDTH,
} from "./geometry";
import { ticksOf } from "./movingParts";

interface WatersProps {
  content: BlockContent;
  x: Scale;
  view: View;
  units: UnitSystem;
}

/** Sets and rain over the axis, as high as they were deep. */
export function Waters({ content, x, view, units }: WatersProps) {
  const seen = (from: number, to: number) => to > view.start && from < view.end;
  const most = Math.max(20, ...content.sets.map((s) => s.gross_mm), ...content.rain.map((r) => r.depth_mm));
  const h = (mm: number) => (mm / most) * (TOP - 14);
  return (
    <g>
      {content.rain
        .filter((r) => seen(r.start_at, r.start_at + DAY))
        .map((r) => (
          <rect
            key={`r${r.start_at}`}
            x={x(r.start_at + 9 * 3600)}
            width={4}
            y={TOP - h(r.depth_mm)}
            height={h(r.depth_mm)}
            className="fill-ink-2"
          >
            <title>{say`rain ${show(r.depth_mm, "depth", units)}`}</title>
          </rect>
        ))}
      {content.sets
        .filter((s) => seen(s.start_at, s.end_at))
        .map((s) => (
          <rect
            key={`s${s.start_at}`}
            x={x(s.start_at)}
            width={Math.max(3, x(s.end_at) - x(s.start_at))}
            y={TOP - h(s.gross_mm)}
            height={h(s.gross_mm)}
            className="fill-deep"
            clipPath="url(#ladder-plot)"
          >
            <title>{say`set, ${show(s.gross_mm, "depth", units)} gross`}</title>
          </rect>
        ))}
      <line x1={0} x2={PLOT} y1={TOP} y2={TOP} className="stroke-ink" />
      <text x={PLOT + 6} y={TOP - 4} className="fill-ink-2 text-[11.5px]">
        <tspan className="fill-deep">■</tspan> {say`sets ■ rain`}
      </text>
    </g>
  );
}

interface StorageProps {
  content: BlockContent;
  x: Scale;
  /** While the view is dragged only what stands still is drawn here. */
  moving: boolean;
  hover: number | null;
  units: UnitSystem;
}

/** The root zone's marks, the band between them and the fan of the days ahead; the line itself is on the canvas. */
export function StorageMarks({ content, x, moving, hover, units }: StorageProps) {
  const { marks } = content.advice;
  const range = useMemo(() => storageRange(content), [content]);
  const lone = useMemo(() => lonePoints(content.times, content.storage_mm), [content]);
  if (!marks || !range) {
    return (
      <text x={0} y={TOP + 60} className="fill-ink-2 text-[13px]">{say`No root-zone storage to draw.`}</text>
    );
  }
  const y = straight(range, [TOP + STORAGE, TOP + 12]);
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
      {!moving && fan.length > 1 && (
        <path d={area} className="fill-deep" opacity={0.2} clipPath="url(#ladder-plot)" />
      )}
      {!moving && fan.length > 1 && (
        <path
          d={`M${fan.map((f) => `${x(f.at)} ${y(f.mid_mm)}`).join("L")}`}
          fill="none"
          className="stroke-deep"
          strokeDasharray="4 3"
          clipPath="url(#ladder-plot)"
        />
      )}
      <LonePoints points={moving ? [] : lone} x={x} y={y} r={2.6} clip="url(#ladder-plot)" />
      <MarkText y={y(marks.full_mm)} text={say`full ${show(marks.full_mm, "depth", units)}`} />
      <MarkText
        y={Math.max(y(marks.refill_mm), y(marks.full_mm) + 13)}
        text={say`refill ${show(marks.refill_mm, "depth", units)} ▲`}
      />
      {at !== null && at !== undefined && (
        <MarkText y={TOP + STORAGE} text={say`then ${show(at, "depth", units)}`} strong />
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
  moving: boolean;
  top: number;
  /** Height of its lane. */
  lane: number;
  hover: number | null;
  units: UnitSystem;
}

/** A depth's marks, its readings that are not used, and its figure; the line itself is on the canvas. */
export function TraceLane({ trace, times, x, moving, top, lane, hover, units }: TraceProps) {
  const lone = useMemo(() => lonePoints(times, trace.theta), [times, trace.theta]);
  const range = useMemo(() => traceRange(trace), [trace]);
  const y = straight(range, [top + lane - 4, top + 3]);
  const at = hover === null ? lastKnown(trace.theta) : trace.theta[hover];
  return (
    <g>
      <line x1={0} x2={WIDTH - 8} y1={top + lane - 0.5} y2={top + lane - 0.5} className="stroke-rule" />
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
      <LonePoints
        points={moving ? [] : lone}
        x={x}
        y={y}
        r={1.8}
        className="fill-ink"
        clip="url(#ladder-plot)"
      />
      <path
        d={moving ? "" : crosses(trace.flagged, times, x, y, [top, lane])}
        fill="none"
        className="stroke-ink"
        strokeWidth={0.9}
      >
        <title>{say`not used: ${trace.faults.join("; ")}`}</title>
      </path>
      <text x={PLOT + 6} y={top + lane / 2 + 4} className="fill-ink text-[12px] font-bold">
        {show(trace.depth_cm, "soilDepth", units)}
        <tspan dx={7} className={`font-normal ${hover === null ? "fill-ink-2" : "fill-deep"}`}>
          {at === null || at === undefined ? "–" : `${(100 * at).toFixed(0)} %`}
        </tspan>
      </text>
      {!trace.in_roots && (
        <text
          x={lane < TWO_LINES ? WIDTH : WIDTH - 8}
          y={lane < TWO_LINES ? top + lane / 2 + 4 : top + lane - 5}
          textAnchor="end"
          className="fill-ink-2 text-[11px]"
        >
          {lane < TWO_LINES ? say`watch` : say`watch only`}
        </text>
      )}
    </g>
  );
}

/** Height a lane needs for a second line of words [px]. */
const TWO_LINES = 30;

function lastKnown(values: (number | null)[]): number | null {
  for (let i = values.length - 1; i >= 0; i--) {
    const value = values[i];
    if (value !== null && value !== undefined) return value;
  }
  return null;
}

/** Readings that are kept and not used, as small crosses, held within their trace's lane. */
function crosses(
  flagged: number[][],
  times: number[],
  x: Scale,
  y: Scale,
  [top, lane]: [number, number],
): string {
  const first = times[0] ?? 0;
  return flagged
    .filter(([at = 0]) => at >= first && x(at) >= 0 && x(at) <= PLOT)
    .map(([at = 0, theta = 0]) => {
      const cx = x(at);
      const cy = Math.min(top + lane - 4, Math.max(top + 3, y(theta)));
      return `M${cx - 2} ${cy - 2}l4 4M${cx - 2} ${cy + 2}l4 -4`;
    })
    .join("");
}

interface AxisProps {
  x: Scale;
  top: number;
  bottom: number;
  view: View;
  offset: number;
}

/** Days under the ladder. */
export function TimeAxis({ x, top, bottom, view, offset }: AxisProps) {
  const ticks = ticksOf(view, offset);
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

interface RootsProps {
  depth: number | null;
  seen: number | null;
  station: Schemas["StationOut"];
  wettings: Schemas["WettingOut"][];
  top: number;
  x: Scale;
  to: number;
  units: UnitSystem;
}

/** Over depth × time: the root front, the depth roots are seen to drink from, and how far each wetting went. */
export function RootsAndReach({ depth, seen, station, wettings, top, x, to, units }: RootsProps) {
  const bottom = station.layers[station.layers.length - 1]?.bottom_cm;
  if (!bottom) return null;
  const y = (cm: number) => top + (Math.min(cm, bottom) / bottom) * PICTURE;
  return (
    <g>
      <text x={PLOT + 6} y={top + 9} className="fill-ink-2 text-[11.5px]">
        {show(0, "soilDepth", units)} <tspan dx={4}>{say`↓ reach`}</tspan>
      </text>
      <text x={PLOT + 6} y={top + PICTURE} className="fill-ink-2 text-[11.5px]">
        {show(bottom, "soilDepth", units)}
      </text>
      {depth !== null && (
        <>
          <line x1={0} x2={to} y1={y(depth)} y2={y(depth)} stroke="#fffdf7" strokeWidth={3} opacity={0.7} />
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
            y={Math.min(y(depth) + 2, top + PICTURE - 13)}
            className="fill-ink-2 text-[11.5px]"
          >{say`roots to ${show(depth, "soilDepth", units)}`}</text>
        </>
      )}
      {seen !== null && Math.abs(seen - (depth ?? 0)) > 5 && (
        <line
          x1={0}
          x2={to}
          y1={y(seen)}
          y2={y(seen)}
          stroke="#fffdf7"
          strokeDasharray="1.5 3"
          strokeWidth={1.8}
        >
          <title>{say`roots take water down to ${show(seen, "soilDepth", units)}`}</title>
        </line>
      )}
      {wettings
        .filter((w) => x(w.start_at) >= 0 && x(w.start_at) <= to)
        .map((w) => (
          <Reach key={w.start_at} x={x(w.start_at)} top={top} to={y(w.reach_cm)} wetting={w} units={units} />
        ))}
    </g>
  );
}

interface ReachProps {
  x: number;
  top: number;
  to: number;
  wetting: Schemas["WettingOut"];
  units: UnitSystem;
}

function Reach({ x, top, to, wetting, units }: ReachProps) {
  const words = say`+${show(wetting.gain_mm, "depth", units)} to ${show(wetting.reach_cm, "soilDepth", units)}`;
  return (
    <g stroke="#fffdf7" fill="none" strokeWidth={1.7} strokeDasharray={wetting.explained ? undefined : "2 2"}>
      <title>{wetting.explained ? words : say`${words}; nothing logged explains it`}</title>
      <line x1={x} x2={x} y1={top + 1} y2={to - 1} />
      <path d={`M${x - 3.5} ${to - 5}L${x} ${to - 1}L${x + 3.5} ${to - 5}`} strokeDasharray="none" />
    </g>
  );
}
