import { Link, useParams } from "react-router";
import { useAsOf, useKeepAsOf, useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { GrowthPlot } from "../../charts/GrowthPlot";
import { clock, dayMonth, offsetSeconds, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { BlockPlaces } from "../../ui/BlockPlaces";
import { Wide } from "../../ui/Wide";
import { Fruit } from "./Fruit";
import { type Growth, useGrowth } from "./queries";
import { TreeSignal } from "./TreeSignal";
import { Trunk } from "./Trunk";

/** Growth against water: stems, trunk, fruit; the depletion at which growth has halved. */
export function GrowthPage() {
  const { key = "" } = useParams();
  const [asOf] = useAsOf();
  const keep = useKeepAsOf();
  const growth = useGrowth(key, asOf);
  const may = useMay();
  const units = useUnits();
  if (growth.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (growth.isError) return <p className="py-6">{growth.error.message}</p>;
  const data = growth.data;
  return (
    <div className="py-1">
      <div className="flex flex-wrap items-center gap-4">
        <h1>{say`${data.name}: growth`}</h1>
        {may("growth_days") && (
          <Link
            className="ml-auto rounded-sheet bg-ink px-4 py-1.5 font-bold text-panel"
            to={`/block/${key}/growth/enter`}
          >{say`Measure stems`}</Link>
        )}
      </div>
      <BlockPlaces to={keep} blockKey={key} />
      <section aria-label={say`Stems`} className="mt-3">
        {data.rates.length > 0 ? (
          <>
            <p>
              {data.threshold_mm === null || data.threshold_mm === undefined
                ? say`No threshold yet: ${data.words}.`
                : sayWith`Growth fell to half its peak at a depletion of ${<b>{say`${show(data.threshold_mm, "depth", units)} ± ${show(data.threshold_error_mm ?? 0, "depth", units)} in the wetted soil`}</b>}: ${data.words}. Open rings are peaks, full dots half of them.`}
            </p>
            <Wide label={say`The growth drawn`}>
              <GrowthPlot growth={data} offset={offsetSeconds(data.as_of)} units={units} />
            </Wide>
            <Cycles growth={data} />
          </>
        ) : (
          <p>{say`Mark about ${data.usual_plants} plants and measure each from a fixed base to the last collar, every day at the same hour. After a full wetting growth starts low, peaks some days later and falls off: the reading on the day it has halved is the refill point the crop itself gives (common practice, no source).`}</p>
        )}
      </section>
      <Fruit growth={data} />
      <Trunk growth={data} />
      <TreeSignal growth={data} />
    </div>
  );
}

function Cycles({ growth }: { growth: Growth }) {
  const units = useUnits();
  const offset = offsetSeconds(growth.as_of);
  const day = (at: number | null | undefined) =>
    at === null || at === undefined ? "–" : dayMonth(new Date((at + offset) * 1000));
  const shrank = growth.rates.filter((r) => r.shrank.length > 0);
  return (
    <>
      <Wide label={say`Dry-downs in numbers`}>
        <table className="mt-2 w-full max-w-3xl text-left text-[14px]">
          <thead>
            <tr>
              {[
                say`wetted`,
                say`peak`,
                say`growth at peak`,
                say`halved`,
                say`depletion then, wetted soil`,
                "",
              ].map((h) => (
                <th key={h} scope="col" className="border-b border-ink pr-4 font-normal whitespace-nowrap">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {growth.cycles.map((c) => (
              <tr key={c.wetted_at} className="border-b border-rule">
                <td className="py-1 pr-4 whitespace-nowrap">{day(c.wetted_at)}</td>
                <td className="pr-4 whitespace-nowrap">{day(c.peak_at)}</td>
                <td className="figure pr-4 whitespace-nowrap">
                  {c.peak_mm_d === null || c.peak_mm_d === undefined
                    ? "–"
                    : say`${show(c.peak_mm_d, "depth", units)}/day`}
                </td>
                <td className="pr-4 whitespace-nowrap">{day(c.half_at)}</td>
                <td className="figure pr-4 font-bold whitespace-nowrap">
                  {c.reading_mm === null || c.reading_mm === undefined
                    ? "–"
                    : `${show(c.reading_mm, "depth", units)} ± ${show(c.error_mm ?? 0, "depth", units)}`}
                </td>
                <td className="min-w-56 text-[13px]">{c.words}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Wide>
      {shrank.length > 0 && (
        <p className="secondary">{say`Left out as broken or misread: ${shrank.map((r) => say`plant ${r.shrank.join(", ")} on ${day(r.at)}`).join("; ")}.`}</p>
      )}
      {growth.last_at && (
        <p className="secondary">{say`Last measured ${dayMonth(wall(growth.last_at))}.${
          growth.measure_again_at &&
          say` Measure again ${dayMonth(wall(growth.measure_again_at))} at ${clock(wall(growth.measure_again_at))}, the same hour.`
        }`}</p>
      )}
    </>
  );
}
