import { scaleLinear } from "d3-scale";
import { dayMonth } from "../lib/dates";
import { say } from "../lib/words";
import { EDGE, Frame, pathOf, percentText, roundTicks, type Tick } from "./Frame";

interface Props {
  times: number[];
  before: (number | null)[];
  after: (number | null)[];
  offset: number;
}

const WIDTH = 640;
const HEIGHT = 210;

/** A sensor's trace before (dashed) and after (solid) a change. */
export function TwoTraces({ times, before, after, offset }: Props) {
  const values = [...before, ...after].filter((v): v is number => v !== null);
  if (values.length === 0 || times.length === 0) {
    return <p className="secondary">{say`No trace of the last four weeks to compare on.`}</p>;
  }
  const x = scaleLinear([times[0] ?? 0, times[times.length - 1] ?? 1], [EDGE.left, WIDTH - EDGE.right]);
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const y = scaleLinear([low - 0.01, high + 0.01], [HEIGHT - EDGE.bottom, EDGE.top]);
  const line = (series: (number | null)[]) =>
    pathOf(series.map((v, i) => (v === null ? null : [x(times[i] ?? 0), y(v)])));
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`The trace before and after, water content in percent`}
      x={x}
      y={y}
      xTicks={dayTicks(times[0] ?? 0, times[times.length - 1] ?? 1, 7, offset)}
      yTicks={roundTicks(low - 0.01, high + 0.01, 4, percentText)}
      yTitle={say`water, % by volume: dashed before, solid after`}
    >
      <path d={line(before)} fill="none" className="stroke-ink-2" strokeWidth={1.4} strokeDasharray="4 3" />
      <path d={line(after)} fill="none" className="stroke-deep" strokeWidth={1.8} />
    </Frame>
  );
}

/** Days as figures under a time scale, every so many; times are seconds, the offset brings them to the farm. */
export function dayTicks(from: number, to: number, every: number, offset: number): Tick[] {
  const found: Tick[] = [];
  const first = Math.ceil((from + offset) / 86400) * 86400;
  for (let at = first; at <= to + offset; at += every * 86400) {
    found.push({ at: at - offset, label: dayMonth(new Date(at * 1000)) });
  }
  return found;
}
