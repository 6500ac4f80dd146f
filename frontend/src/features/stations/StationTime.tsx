import { useFarm } from "../../app/farm";
import { dayMonth, month, wall } from "../../lib/dates";
import { say, sayCode } from "../../lib/words";
import type { Sheet } from "./queries";

const WIDTH = 720;
const LINE = 46;
const APART = 40;
const DAY_MS = 86_400_000;

/** What happened to a station as a line of time, from its first day to now: put in, visits, exchanges, checks. */
export function StationTime({ sheet }: { sheet: Sheet }) {
  const farm = useFarm();
  const now = wall(farm.now).getTime();
  const sinces = sheet.sensors.flatMap((s) => (s.since ? [wall(s.since).getTime()] : []));
  const events = [...sheet.log]
    .reverse()
    .map((line) => ({ at: wall(line.at).getTime(), words: sayCode(line.what) }));
  if (sinces.length > 0) events.unshift({ at: Math.min(...sinces), words: say`sensors in the ground` });
  events.sort((a, b) => a.at - b.at);
  const first = events[0]?.at;
  if (first === undefined || now - first < DAY_MS) return null;
  const x = (at: number) => 6 + ((Math.min(at, now) - first) / (now - first)) * (WIDTH - 40);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} 92`}
      className="mt-2 block w-full"
      role="img"
      aria-label={say`What happened here: ${events.map((e) => `${dayMonth(new Date(e.at))} ${e.words}`).join("; ")}`}
    >
      {months(first, now).map((at) => (
        <g key={at}>
          <line x1={x(at)} x2={x(at)} y1={LINE - 5} y2={LINE + 5} className="stroke-rule" />
          <text x={x(at) + 3} y={LINE + 17} className="fill-ink-2 text-[11px]">
            {month(new Date(at))}
          </text>
        </g>
      ))}
      <line x1={6} x2={x(now)} y1={LINE} y2={LINE} className="stroke-ink" strokeWidth={2} />
      {grouped(events, x).map((one, i) => (
        <g key={one.at}>
          <circle cx={x(one.at)} cy={LINE} r={4.5} className="fill-deep stroke-panel" />
          <line
            x1={x(one.at)}
            x2={x(one.at)}
            y1={i % 2 ? LINE + 5 : LINE - 5}
            y2={i % 2 ? LINE + 28 : LINE - 18}
            className="stroke-ink-2"
            strokeWidth={0.8}
          />
          <text
            x={x(one.at) + 4}
            y={i % 2 ? LINE + 34 : LINE - 18}
            textAnchor={x(one.at) > WIDTH - 220 ? "end" : "start"}
            className="fill-ink text-[11.5px]"
          >
            {one.more > 0 ? say`${one.words} and ${one.more} more` : one.words}
          </text>
        </g>
      ))}
      <text x={x(now) + 4} y={LINE + 4} className="fill-ink-2 text-[11px]">{say`now`}</text>
    </svg>
  );
}

/** First days of months between two moments. */
function months(from: number, to: number): number[] {
  const found: number[] = [];
  const at = new Date(from);
  at.setUTCDate(1);
  at.setUTCHours(0, 0, 0, 0);
  for (at.setUTCMonth(at.getUTCMonth() + 1); at.getTime() < to; at.setUTCMonth(at.getUTCMonth() + 1))
    found.push(at.getTime());
  return found;
}

interface Happened {
  at: number;
  words: string;
}

/** Events that would lie on each other as one, with how many more there are. */
function grouped(events: Happened[], x: (at: number) => number) {
  const found: (Happened & { more: number })[] = [];
  for (const one of events) {
    const last = found[found.length - 1];
    if (last && x(one.at) - x(last.at) < APART) last.more += 1;
    else found.push({ ...one, more: 0 });
  }
  return found;
}
