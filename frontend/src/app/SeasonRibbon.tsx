import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type Schemas, unwrap } from "../api/client";
import { month } from "../lib/dates";
import { say } from "../lib/words";
import { useAsOf, useFarm } from "./farm";

const DAY = 86_400_000;
const WIDTH = 1232;
const HEIGHT = 32;

/** First and last instant the ribbon spans: whole months from the first reading, eight at least. */
export function ribbonSpan(first: string, today: string): [Date, Date] {
  const from = new Date(`${first.slice(0, 7)}-01T00:00Z`);
  const last = new Date(`${today}T00:00Z`);
  const months = Math.max(
    8,
    (last.getUTCFullYear() - from.getUTCFullYear()) * 12 + last.getUTCMonth() - from.getUTCMonth() + 1,
  );
  return [from, new Date(Date.UTC(from.getUTCFullYear(), from.getUTCMonth() + months, 1))];
}

export function SeasonRibbon() {
  const season = useQuery({
    queryKey: ["season"],
    queryFn: async () => unwrap(await api.GET("/api/season")),
  });
  if (!season.data?.first) return <div className="h-9 border-b border-ink" />;
  return <Ribbon first={season.data.first} season={season.data} />;
}

function Ribbon({ first, season }: { first: string; season: Schemas["SeasonContent"] }) {
  const farm = useFarm();
  const [asOf, setAsOf] = useAsOf();
  const [dragged, setDragged] = useState<number | null>(null);
  const [from, to] = ribbonSpan(first, season.today);
  const days = Math.round((to.getTime() - from.getTime()) / DAY);
  const dayOf = (iso: string) =>
    Math.round((Date.parse(`${iso.slice(0, 10)}T00:00Z`) - from.getTime()) / DAY);
  const today = dayOf(season.today);
  const shown = dragged ?? dayOf(asOf ?? farm.now);
  // Until the address follows, what the hand does is the truth; going back to now takes over.
  const sent = useRef(asOf);
  useEffect(() => {
    if (asOf !== undefined || sent.current === undefined) return;
    sent.current = undefined;
    setDragged(null);
  }, [asOf]);
  const choose = (value: number) => {
    const date = new Date(from.getTime() + value * DAY).toISOString().slice(0, 10);
    const moment = value >= today ? undefined : `${date}T06:00`;
    setDragged(value);
    sent.current = moment;
    setAsOf(moment);
  };
  return (
    <section aria-label={say`The season`} className="no-print relative mb-3 hidden sm:block">
      <RibbonDrawing season={season} from={from} days={days} shown={shown} dayOf={dayOf} />
      <input
        type="range"
        aria-label={say`See the farm as of a past day`}
        aria-valuetext={new Date(from.getTime() + shown * DAY).toDateString()}
        className="absolute inset-y-0 left-0 cursor-ew-resize opacity-0"
        style={{ width: `${(100 * (today + 1)) / days}%` }}
        min={dayOf(first)}
        max={today}
        value={shown}
        onChange={(e) => setDragged(Number(e.target.value))}
        onPointerUp={(e) => choose(Number(e.currentTarget.value))}
        onKeyUp={(e) => choose(Number(e.currentTarget.value))}
      />
    </section>
  );
}

interface DrawingProps {
  season: Schemas["SeasonContent"];
  from: Date;
  days: number;
  shown: number;
  dayOf: (iso: string) => number;
}

function RibbonDrawing({ season, from, days, shown, dayOf }: DrawingProps) {
  const x = (day: number) => (day / days) * WIDTH;
  const months = Array.from(
    { length: Math.round(days / 30.4) },
    (_, i) => new Date(Date.UTC(from.getUTCFullYear(), from.getUTCMonth() + i, 1)),
  );
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full"
      role="img"
      aria-label={say`Sets and rain of the season`}
    >
      {months.map((m) => {
        const at = x((m.getTime() - from.getTime()) / DAY);
        return (
          <g key={m.toISOString()}>
            <line x1={at + 0.5} x2={at + 0.5} y1={2} y2={HEIGHT} className="stroke-rule" />
            <text x={at + 4} y={11} className="fill-ink-2 text-[10.5px]">
              {month(m)}
            </text>
          </g>
        );
      })}
      {season.days.map((d) => (
        <g key={d.day}>
          {d.rain_mm > 0 && (
            <rect
              x={x(dayOf(d.day))}
              width={2.4}
              y={HEIGHT - 1 - bar(d.rain_mm)}
              height={bar(d.rain_mm)}
              className="fill-ink-2"
            />
          )}
          {d.blocks > 0 && (
            <rect
              x={x(dayOf(d.day)) + 2.4}
              width={2.4}
              y={HEIGHT - 1 - bar(d.gross_mm)}
              height={bar(d.gross_mm)}
              className="fill-deep"
            />
          )}
        </g>
      ))}
      <line x1={0} x2={WIDTH} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} className="stroke-ink" />
      <line x1={x(shown)} x2={x(shown)} y1={0} y2={HEIGHT} className="stroke-ink" strokeWidth={1.5} />
      <path d={`M${x(shown) - 5} ${HEIGHT}h10l-5 -8z`} className="fill-ink" />
    </svg>
  );
}

function bar(mm: number): number {
  return Math.min(HEIGHT - 14, 2 + mm * 0.55);
}
