import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { EDGE, Frame, roundTicks } from "../../charts/Frame";
import { dayMonth, offsetSeconds } from "../../lib/dates";
import { quantity, show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";

type Tension = Schemas["TensionContent"];

const WIDTH = 860;
const HEIGHT = 220;

/** Uppers and lowers as means against the band of the stage, and the share of time too wet. */
export function TensionSchool({ data }: { data: Tension }) {
  const units = useUnits();
  const unit = quantity("tension", units).unit;
  return (
    <section aria-label={say`Tension through the weeks`} className="mt-4">
      {data.band && (
        <p>{sayWith`In this stage (${data.band.stage}): ${data.band.low_kpa} to ${data.band.high_kpa} ${unit}. ${<span className="secondary">{data.band.source}</span>}`}</p>
      )}
      {data.ask_local && (
        <p>{say`No tension to irrigate at is known for this crop: ask local practice, and enter it under Crop.`}</p>
      )}
      {data.means && data.means.times.length > 1 && <Means data={data} />}
      {data.wet.length > 0 && (
        <ul className="mt-2">
          {data.wet.map((w) => (
            <li key={w.sensor}>
              <b>{show(w.depth_cm, "soilDepth", units)}</b> <span className="secondary">{w.sensor}</span>:{" "}
              {w.share === null
                ? say`too few readings to tell (${w.hours})`
                : say`${Math.round(100 * w.share)} % of the last month below 10 ${unit}${w.too_wet ? say`: soil cannot hold that water, it leaches and keeps out air` : ""}`}
            </li>
          ))}
          <li className="secondary">{say`The first two weeks in the ground do not count: the wet end settles.`}</li>
        </ul>
      )}
    </section>
  );
}

function Means({ data }: { data: Tension }) {
  const units = useUnits();
  const means = data.means;
  if (!means) return null;
  const offset = offsetSeconds(data.as_of);
  const first = means.times[0] ?? 0;
  const last = means.times[means.times.length - 1] ?? 1;
  const known = [...means.upper_kpa, ...means.lower_kpa].flatMap((v) => v ?? []);
  const most = Math.max(20, ...known, data.band && data.band.high_kpa < 200 ? data.band.high_kpa : 0);
  const x = scaleLinear([first, last], [EDGE.left, WIDTH - EDGE.right]);
  const y = scaleLinear([0, most], [EDGE.top, HEIGHT - EDGE.bottom]);
  const path = (values: (number | null)[]) =>
    line<number | null>()
      .defined((v) => v !== null)
      .x((_, i) => x(means.times[i] ?? first))
      .y((v) => y(v ?? 0))(values) ?? "";
  const step = (last - first) / 6;
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`Mean tension of the upper and of the lower sensors over the last month; dry is down`}
      x={x}
      y={y}
      xTicks={Array.from({ length: 6 }, (_, i) => first + i * step).map((at) => ({
        at,
        label: dayMonth(new Date((at + offset) * 1000)),
      }))}
      yTicks={roundTicks(0, most, 4, (v) => String(Math.round(v)))}
      yTitle={say`${quantity("tension", units).unit}; dry is down`}
      className="w-full max-w-[980px]"
    >
      <rect
        x={EDGE.left}
        width={WIDTH - EDGE.left - EDGE.right}
        y={y(0)}
        height={y(10) - y(0)}
        className="fill-band"
      />
      {data.band && data.band.high_kpa <= most && (
        <rect
          x={EDGE.left}
          width={WIDTH - EDGE.left - EDGE.right}
          y={y(data.band.low_kpa)}
          height={Math.max(2, y(data.band.high_kpa) - y(data.band.low_kpa))}
          className="fill-straw"
          opacity={0.5}
        />
      )}
      <path d={path(means.upper_kpa)} className="fill-none stroke-deep" strokeWidth={2} />
      <path
        d={path(means.lower_kpa)}
        className="fill-none stroke-ink"
        strokeWidth={1.5}
        strokeDasharray="5 3"
      />
      <text
        x={WIDTH - EDGE.right}
        y={EDGE.top - 6}
        textAnchor="end"
        className="fill-ink-2 text-[11px]"
      >{say`solid: ${means.uppers} upper · dashed: ${means.lowers} lower · shaded at the top: too wet`}</text>
    </Frame>
  );
}
