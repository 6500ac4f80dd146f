import { lonePoints } from "./path";

interface Props {
  times: number[];
  values: (number | null)[];
  x: (time: number) => number;
  y: (value: number) => number;
  r?: number;
  className?: string;
}

/** Readings that no line reaches, such as those of a round by hand, as dots. */
export function LonePoints({ times, values, x, y, r = 3, className = "fill-deep" }: Props) {
  return lonePoints(times, values).map(([time, value]) => (
    <circle key={time} cx={x(time)} cy={y(value)} r={r} className={className} />
  ));
}
