import { type PointerEvent, useMemo, useRef, useState } from "react";
import type { BlockContent, Schemas } from "../../api/client";
import { placeOf, usePointed } from "../../app/pointed";
import { clock, dayMonth } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { Crosshair } from "../Crosshair";
import { nearest } from "../path";
import { DepthPicture } from "./DepthPicture";
import { DAY, PICTURE, PLOT, partsOf, TOP, WIDTH } from "./geometry";
import { LinesCanvas } from "./LinesCanvas";
import { RootsAndReach, StorageMarks, TimeAxis, TraceLane, Waters } from "./Overlays";
import { useView } from "./useView";

const NONE: Schemas["WettingOut"][] = [];
const still = () => 0;
const DRAGGED_PX = 4; // less is a hand that trembles

interface LadderProps {
  content: BlockContent;
  station: Schemas["StationOut"];
  wettings?: Schemas["WettingOut"][];
  seenRootsCm?: number | null;
  offset: number;
  units: UnitSystem;
}

/** Sets and rain, storage between the marks, one trace a depth in soil order, and depth × time, on one time axis. */
export function Ladder({ content, station, wettings = [], seenRootsCm = null, offset, units }: LadderProps) {
  const [under, setHover] = useState<number | null>(null);
  const [pointed, point] = usePointed();
  const start = content.times[0] ?? content.as_of_at - 28 * DAY;
  const end = Math.max(content.as_of_at, content.fan[content.fan.length - 1]?.at ?? 0);
  const controls = useView(useMemo(() => ({ start, end }), [start, end]));
  const { view, moving } = controls;
  const x = (t: number) => ((t - view.start) / (view.end - view.start)) * PLOT;
  const { tracesTop, trace: lane, pictureTop, height } = partsOf(station.traces.length);
  const parts = useMemo(
    () => ({ content, station, wettings, range: null, pictureTop, offset }),
    [content, station, wettings, pictureTop, offset],
  );
  const onMove = (event: PointerEvent<SVGSVGElement>) => {
    if (controls.onPointerMove(event)) {
      setHover(null);
      return;
    }
    const place = placeOf(event, WIDTH);
    const at = view.start + (place / PLOT) * (view.end - view.start);
    setHover(at <= content.as_of_at && place <= PLOT ? nearest(content.times, at) : null);
  };
  const kept = pointed === null ? null : pointed - offset;
  const inside = kept !== null && kept >= start && kept <= content.as_of_at;
  const hover = under ?? (inside ? nearest(content.times, kept) : null);
  const at = under === null ? undefined : content.times[under];
  const pressed = useRef(0);
  const now = Math.min(PLOT, Math.max(0, x(content.as_of_at)));
  return (
    <div>
      <div className="relative overflow-hidden">
        <svg
          viewBox={`0 0 ${WIDTH} ${height}`}
          className="block w-full cursor-grab touch-pan-y select-none"
          role="img"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: arrows move along the time and + and - draw it nearer
          tabIndex={0}
          aria-label={ladderLabel(units, content, station, wettings)}
          onPointerDown={(event) => {
            pressed.current = event.clientX;
            controls.onPointerDown(event);
          }}
          onClick={(event) => {
            const place = placeOf(event, WIDTH);
            const dragged = Math.abs(event.clientX - pressed.current) > DRAGGED_PX;
            if (!dragged && place <= PLOT)
              point(view.start + (place / PLOT) * (view.end - view.start) + offset);
          }}
          onPointerMove={onMove}
          onPointerUp={controls.onPointerUp}
          onPointerLeave={(event) => {
            setHover(null);
            controls.onPointerUp(event);
          }}
          onKeyDown={controls.onKeyDown}
        >
          <clipPath id="ladder-plot">
            <rect x={0} y={0} width={PLOT} height={height} />
          </clipPath>
          {!moving && <Waters content={content} x={x} view={view} units={units} />}
          <StorageMarks
            content={content}
            x={moving ? still : x}
            moving={moving}
            hover={hover}
            units={units}
          />
          {station.traces.map((trace, i) => (
            <TraceLane
              key={trace.sensor}
              trace={trace}
              times={content.times}
              x={moving ? still : x}
              moving={moving}
              top={tracesTop + i * lane}
              lane={lane}
              hover={hover}
              units={units}
            />
          ))}
          {!moving && <TimeAxis x={x} top={TOP} bottom={pictureTop + PICTURE} view={view} offset={offset} />}
          <RootsAndReach
            depth={content.advice.root_depth_cm}
            seen={seenRootsCm}
            station={station}
            wettings={moving ? NONE : wettings.filter((w) => w.station === station.key)}
            top={pictureTop}
            x={moving ? still : x}
            to={moving ? PLOT : now}
            units={units}
          />
          {!moving && <line x1={now} x2={now} y1={0} y2={pictureTop + PICTURE} className="stroke-ink" />}
          {!moving && at === undefined && (
            <Crosshair
              x={(wallS) => x(wallS - offset)}
              left={0}
              right={PLOT}
              top={0}
              bottom={pictureTop + PICTURE}
            />
          )}
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
        <LinesCanvas content={content} station={station} view={view} moving={moving ? parts : null} />
        <DepthPicture
          times={content.times}
          station={station}
          view={view}
          place={{ right: PLOT / WIDTH, top: pictureTop / height, bottom: (pictureTop + PICTURE) / height }}
        />
      </div>
      <div className="secondary no-print mt-1 flex flex-wrap gap-x-3">
        <span>{say`Drag to move along, click to point at a moment.`}</span>
        <button type="button" className="underline" onClick={() => controls.zoom(0.6)}>{say`nearer`}</button>
        <button type="button" className="underline" onClick={() => controls.zoom(1.6)}>{say`wider`}</button>
        {controls.zoomed && (
          <button type="button" className="underline" onClick={controls.reset}>{say`all of it`}</button>
        )}
      </div>
    </div>
  );
}

function ladderLabel(
  units: UnitSystem,
  content: BlockContent,
  station: Schemas["StationOut"],
  wettings: Schemas["WettingOut"][],
): string {
  const { marks, storage_mm } = content.advice;
  const depth = (mm: number) => show(mm, "depth", units);
  const level =
    marks && storage_mm !== null
      ? say`${depth(storage_mm)} now, full at ${depth(marks.full_mm)}, refill at ${depth(marks.refill_mm)}`
      : say`no root-zone storage`;
  const went = wettings.filter((w) => w.station === station.key).length;
  return (
    say`Water over time: sets and rain, root-zone storage between its marks (${level}), ` +
    say`${station.traces.length} depths, and the whole profile with ${went} wettings. The same as a table below.`
  );
}
