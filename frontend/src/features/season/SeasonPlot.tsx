import { scaleLinear, scaleTime } from "d3-scale";
import { area, curveMonotoneX, line } from "d3-shape";
import { placeOf, usePointed } from "../../app/pointed";
import { Crosshair } from "../../charts/Crosshair";
import { dayMonth, wall } from "../../lib/dates";
import { quantity, show, type UnitSystem } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import type { Season } from "./queries";

const WIDTH = 860;
const LEFT = 58;
const RIGHT = 12;
const IN = { top: 26, bottom: 112 };
const STORE = { top: 128, bottom: 236 };
const OUT = { top: 262, bottom: 392 };
const STAGES = 420;
const HEIGHT = 448;
const at = (day: string) => wall(`${day}T00:00`);

/** The season as a reservoir's year: what came in above, the store between its marks, what went out below. */
export function SeasonPlot({ season, units }: { season: Season; units: UnitSystem }) {
  const [pointed, point] = usePointed();
  const days = season.days;
  const first = days[0];
  const last = days[days.length - 1];
  if (!first || !last || season.full_mm === null || season.refill_mm === null) return null;
  const x = scaleTime([at(first.day), at(last.day)], [LEFT, WIDTH - RIGHT]);
  const wide = Math.max(1.5, Math.min(7, ((WIDTH - LEFT) / days.length) * 0.7));
  const mostIn = Math.max(1, ...days.map((d) => Math.max(d.irrigation_mm, d.rain_mm)));
  const into = scaleLinear([0, mostIn], [IN.bottom, IN.top]);
  const stored = days.flatMap((d) => d.storage_mm ?? []);
  const store = scaleLinear(
    [Math.min(season.refill_mm, ...stored) - 4, Math.max(season.full_mm, ...stored) + 4],
    [STORE.bottom, STORE.top],
  );
  const mostOut = Math.max(1, ...days.map((d) => Math.max(d.use_mm ?? 0, d.below_mm)));
  const out = scaleLinear([0, mostOut], [OUT.top, OUT.bottom]);
  const usedArea = area<Season["days"][number]>()
    .defined((d) => d.use_mm !== null)
    .x((d) => x(at(d.day)))
    .y0(out(0))
    .y1((d) => out(d.use_mm ?? 0))
    .curve(curveMonotoneX);
  const storeLine = line<Season["days"][number]>()
    .defined((d) => d.storage_mm !== null)
    .x((d) => x(at(d.day)))
    .y((d) => store(d.storage_mm ?? 0));
  const unit = quantity("depth", units).unit;
  const day = pointed === null ? undefined : days.find((d) => d.day === isoDay(pointed));
  return (
    <>
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the line under the tabs moves what is pointed at by keys */}
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block w-full"
        role="img"
        onClick={(event) => point(x.invert(placeOf(event, WIDTH)).getTime() / 1000)}
        aria-label={say`The season of ${season.name}: ${season.headline}`}
      >
        {x.ticks(7).map((tick) => (
          <g key={tick.getTime()}>
            <line x1={x(tick)} x2={x(tick)} y1={IN.top - 8} y2={OUT.bottom} className="stroke-rule" />
            <text x={x(tick) + 3} y={14} className="fill-ink-2 text-[11px]">
              {dayMonth(tick)}
            </text>
          </g>
        ))}
        <Title y={(IN.top + IN.bottom) / 2} text={say`in`} />
        <text x={LEFT - 6} y={IN.top + 4} textAnchor="end" className="fill-ink-2 text-[11px]">
          {show(mostIn, "depth", units)}
        </text>
        <line x1={LEFT} x2={WIDTH - RIGHT} y1={IN.bottom} y2={IN.bottom} className="stroke-ink" />
        {days.map((d) => (
          <g key={d.day}>
            {d.rain_mm > 0 && (
              <rect
                x={x(at(d.day)) - wide / 2}
                width={wide}
                y={into(d.rain_mm)}
                height={IN.bottom - into(d.rain_mm)}
                className="fill-ink-2"
              />
            )}
            {d.irrigation_mm > 0 && (
              <rect
                x={x(at(d.day)) - wide / 2}
                width={wide}
                y={into(d.irrigation_mm)}
                height={IN.bottom - into(d.irrigation_mm)}
                className="fill-deep"
              />
            )}
          </g>
        ))}
        <rect
          x={LEFT}
          width={WIDTH - LEFT - RIGHT}
          y={store(season.full_mm)}
          height={store(season.refill_mm) - store(season.full_mm)}
          className="fill-band"
        />
        <Mark y={store(season.full_mm)} text={say`full`} />
        <Mark y={store(season.refill_mm)} text={say`stress`} dotted />
        <path d={storeLine(days) ?? ""} className="fill-none stroke-deep" strokeWidth={1.8} />
        <Title y={(OUT.top + OUT.bottom) / 2} text={say`out`} />
        <text x={LEFT - 6} y={OUT.bottom} textAnchor="end" className="fill-ink-2 text-[11px]">
          {show(mostOut, "depth", units)}
        </text>
        <path d={usedArea(days) ?? ""} className="fill-deep" opacity={0.35} />
        <line x1={LEFT} x2={WIDTH - RIGHT} y1={OUT.top} y2={OUT.top} className="stroke-ink-2" />
        {days.map(
          (d) =>
            d.below_mm > 0 && (
              <rect
                key={d.day}
                x={x(at(d.day)) - wide / 2}
                width={wide}
                y={out(0)}
                height={out(d.below_mm) - out(0)}
                className="fill-clay"
              />
            ),
        )}
        <text
          x={WIDTH - RIGHT}
          y={OUT.bottom + 12}
          textAnchor="end"
          className="fill-ink-2 text-[11px]"
        >{say`${unit} a day · teal: sets and crop use · grey: rain · clay: below the roots`}</text>
        {season.stages.map((s) => (
          <g key={s.stage}>
            <line
              x1={x(at(s.first_day)) + 1}
              x2={x(at(s.last_day)) - 1}
              y1={STAGES}
              y2={STAGES}
              className="stroke-ink"
              strokeWidth={2}
            />
            <text x={x(at(s.first_day)) + 2} y={STAGES + 16} className="fill-ink-2 text-[12px]">
              {sayCode(s.stage)}
            </text>
          </g>
        ))}
        <Crosshair
          x={(wallS) => x(new Date(wallS * 1000))}
          left={LEFT}
          right={WIDTH - RIGHT}
          top={IN.top - 8}
          bottom={OUT.bottom}
          days
        />
      </svg>
      {day && <DayTold day={day} units={units} />}
    </>
  );
}

const isoDay = (wallS: number) => new Date(wallS * 1000).toISOString().slice(0, 10);

/** The day pointed at, in figures. */
function DayTold({ day, units }: { day: Season["days"][number]; units: UnitSystem }) {
  const mm = (value: number | null) => (value === null ? say`not known` : show(value, "depth", units));
  return (
    <p className="secondary">{sayWith`${<b className="text-ink">{dayMonth(at(day.day))}:</b>} stored ${mm(day.storage_mm)} · sets ${mm(day.irrigation_mm)} · rain ${mm(day.rain_mm)} · crop use ${mm(day.use_mm)} · below the roots ${mm(day.below_mm)}`}</p>
  );
}

function Title({ y, text }: { y: number; text: string }) {
  return (
    <text x={6} y={y + 4} className="fill-ink-2 text-[12px]">
      {text}
    </text>
  );
}

function Mark({ y, text, dotted }: { y: number; text: string; dotted?: boolean }) {
  return (
    <g>
      <line
        x1={LEFT}
        x2={WIDTH - RIGHT}
        y1={y}
        y2={y}
        className="stroke-ink"
        strokeWidth={dotted ? 1 : 1.6}
        strokeDasharray={dotted ? "2 3" : undefined}
      />
      <text x={LEFT - 6} y={y + 4} textAnchor="end" className="fill-ink text-[12px]">
        {text}
      </text>
    </g>
  );
}
