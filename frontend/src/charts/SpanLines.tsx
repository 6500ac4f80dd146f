import type { Schemas } from "../api/client";
import { say } from "../lib/words";

type Tested = Schemas["TestedOut"];
const WIDTH = 460;
const LEFT = 64;
const ROW = 17;

/** Each sensor of a batch on one rule: from its mean in air to its mean in water, thick where it scatters. */
export function SpanLines({ sensors }: { sensors: Tested[] }) {
  const ends = sensors.flatMap((s) => [
    s.air_mean - 2 * s.air_sd,
    s.air_mean + 2 * s.air_sd,
    s.water_mean - 2 * s.water_sd,
    s.water_mean + 2 * s.water_sd,
  ]);
  const [low, high] = [Math.min(...ends), Math.max(...ends)];
  const x = (raw: number) => LEFT + 8 + ((raw - low) / Math.max(1e-9, high - low)) * (WIDTH - LEFT - 20);
  const height = sensors.length * ROW + 22;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="mt-2 block w-full max-w-[560px]"
      role="img"
      aria-label={sensors
        .map(
          (s) =>
            say`${s.sensor}: air ${s.air_mean.toFixed(0)}, water ${s.water_mean.toFixed(0)}${s.accepted ? "" : say`, rejected`}`,
        )
        .join("; ")}
    >
      {sensors.map((s, i) => {
        const y = 12 + i * ROW;
        const scatter = (mean: number, sd: number) => ({
          x: x(mean - 2 * sd),
          width: Math.max(3, x(mean + 2 * sd) - x(mean - 2 * sd)),
        });
        return (
          <g key={s.sensor}>
            <text x={LEFT} y={y + 4} textAnchor="end" className="fill-ink text-[11.5px]">
              {s.accepted ? "" : "✕ "}
              {s.sensor}
            </text>
            <line
              x1={x(s.air_mean)}
              x2={x(s.water_mean)}
              y1={y}
              y2={y}
              className="stroke-ink-2"
              strokeWidth={1.2}
              strokeDasharray={s.accepted ? undefined : "3 3"}
            />
            <rect
              {...scatter(s.air_mean, s.air_sd)}
              y={y - 5}
              height={10}
              fill="#e7d6a6"
              className="stroke-ink"
              strokeWidth={0.8}
            />
            <rect {...scatter(s.water_mean, s.water_sd)} y={y - 5} height={10} className="fill-deep" />
            {s.after_days !== null && (
              <path d={`M${x(s.after_days)} ${y - 7}v14`} className="stroke-ink" strokeWidth={1.6} />
            )}
          </g>
        );
      })}
      <text
        x={LEFT + 8}
        y={height - 4}
        className="fill-ink-2 text-[10.5px]"
      >{say`straw: in air · teal: in water, each ± 2 SD · upright: after days in water`}</text>
    </svg>
  );
}
