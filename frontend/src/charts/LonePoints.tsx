interface Props {
  /** Instants and values of readings no line reaches. */
  points: [number, number][];
  x: (time: number) => number;
  y: (value: number) => number;
  r?: number;
  className?: string;
  clip?: string;
}

/** Readings that no line reaches, such as those of a round by hand, as dots. */
export function LonePoints({ points, x, y, r = 3, className = "fill-deep", clip }: Props) {
  return points.map(([time, value]) => (
    <circle key={time} cx={x(time)} cy={y(value)} r={r} className={className} clipPath={clip} />
  ));
}
