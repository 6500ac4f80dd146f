import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { useAsOf, useKeepAsOf, useUnits } from "../../app/farm";
import { dayMonth, wall } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { BlockPlaces } from "../../ui/BlockPlaces";
import { Button } from "../../ui/Button";
import { Wide } from "../../ui/Wide";
import { AccountLines, begun } from "./AccountLines";
import { AddPlanting } from "./AddPlanting";
import { type Season, useSeasonAccount } from "./queries";
import { SeasonPlot } from "./SeasonPlot";
import { TakeBack } from "./TakeBack";

const date = (day: string) => dayMonth(wall(`${day}T00:00`));

function tableQuery(asOf: string | undefined, planting: string | undefined): string {
  const asked = new URLSearchParams();
  if (asOf) asked.set("as_of", asOf);
  if (planting !== undefined) asked.set("planting", planting);
  return asked.size > 0 ? `?${asked}` : "";
}

/** A block's season: what came in, what was used, what went below, and what to change next year. */
export function SeasonPage() {
  const { key = "" } = useParams();
  const [asOf] = useAsOf();
  const keep = useKeepAsOf();
  const units = useUnits();
  const [asked] = useSearchParams();
  const [planting, setPlanting] = useState(asked.get("planting") ?? undefined);
  const found = useSeasonAccount(key, asOf, planting);
  if (found.isPending) return <p className="secondary py-6">{say`Adding up the season …`}</p>;
  if (found.isError) return <p className="py-6">{found.error.message}</p>;
  const season = found.data;
  return (
    <div className="py-1">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{season.headline}</h1>
        <span className="text-ink-2">{say`${season.crop}${season.variety && `, ${season.variety}`} · ${date(season.first_day)} to ${date(season.last_day)}`}</span>
      </div>
      <BlockPlaces to={keep} blockKey={key} />
      {season.why_not && <p className="mb-2">{say`No account because ${season.why_not}.`}</p>}
      <div className="grid gap-x-7 gap-y-5 min-[1100px]:grid-cols-[minmax(0,1fr)_330px]">
        <div className="min-w-0">
          {season.days.length > 0 && (
            <Wide label={say`Drawing of the season`}>
              <div className="min-w-[640px]">
                <SeasonPlot season={season} units={units} />
              </div>
            </Wide>
          )}
          <ByStage season={season} units={units} />
          <p className="no-print mt-3">
            <Link className="underline" to={keep("/seasons")}>{say`Compare with the other blocks`}</Link>
            {" · "}
            <Link className="underline" to={keep(`/block/${key}/closing`)}>{say`Close the season`}</Link>
          </p>
        </div>
        <aside className="grid gap-5 self-start">
          {season.account && <Account season={season} units={units} query={tableQuery(asOf, planting)} />}
          <Plantings season={season} chosen={planting} choose={setPlanting} past={asOf !== undefined} />
        </aside>
      </div>
    </div>
  );
}

interface AccountProps {
  season: Season;
  units: UnitSystem;
  /** What the page was asked for, so that the table is of the same. */
  query: string;
}

function Account({ season, units, query }: AccountProps) {
  const told = season.account;
  if (!told) return null;
  const mm = (value: number) => show(value, "depth", units, false);
  return (
    <section className="sheet p-4" aria-label={say`Water account`}>
      <h2 className="text-[17px] font-bold">{say`Water account · ${season.name}`}</h2>
      <AccountLines
        told={told}
        number={(line) => line.mm}
        words={mm}
        left={`${mm(told.residual.mm)} ± ${show(told.residual.error_mm, "depth", units)}`}
      />
      {!told.below && (
        <p className="secondary mt-1">{say`No sensor stands below the roots: what went there is in what is not accounted for.`}</p>
      )}
      <p className="mt-3">
        {show(told.volume_m3, "volume", units)}
        {told.money !== null && say` · ${Math.round(told.money).toLocaleString("en")} in your currency`}
        {told.kg_m3 !== null && ` · ${show(told.kg_m3, "waterYield", units)}`}
      </p>
      <p>{say`${told.stress_days} ${told.stress_days === 1 ? say`day` : say`days`} of stress (${show(told.stress_mm, "depth", units)} of use lost), ${told.over_full_days} over full`}</p>
      {told.wet_hours !== null && (
        <p>{sayWith`${told.wet_hours} h of the upper soil near saturation ${<span className="secondary">{say`(at ${show(told.wet_hours_depth_cm ?? 0, "soilDepth", units)}, of ${(told.wet_hours_read ?? 0).toLocaleString("en")} h read)`}</span>}`}</p>
      )}
      {season.allowed && <p>{season.allowed.words}.</p>}
      {told.yield_share !== null && (
        <p>{sayWith`${Math.round(100 * told.yield_share)} % of the yield water allows ${<span className="secondary">({told.yield_source})</span>}`}</p>
      )}
      {told.fao_use_mm !== null && (
        <p className="secondary">{say`Kc × ETo asks for ${show(told.fao_use_mm, "depth", units)}. Use was seen on ${told.seen_days} of ${told.days} days; the rest is filled by weather. It is what left the roots’ own store: water that rises from below is not seen.`}</p>
      )}
      {season.change.length > 0 && (
        <>
          <h3 className="secondary mt-3 font-bold">{say`Change next year`}</h3>
          <ul>
            {season.change.map((words) => (
              <li key={words} className="border-t border-rule py-1.5">
                {words}.
              </li>
            ))}
          </ul>
        </>
      )}
      {season.not_told.map((words) => (
        <p key={words} className="secondary mt-2">
          {words}.
        </p>
      ))}
      <p className="no-print mt-3 flex gap-3">
        <Button onClick={() => window.print()}>{say`Print report`}</Button>
        <a
          className="self-center underline"
          href={`/api/blocks/${season.key}/season.csv${query}`}
        >{say`Download CSV`}</a>
      </p>
    </section>
  );
}

/** The same account, stage by stage. */
function ByStage({ season, units }: { season: Season; units: UnitSystem }) {
  if (season.by_stage.length === 0) return null;
  const mm = (value: number | null) => (value === null ? "–" : show(value, "depth", units, false));
  return (
    <Wide label={say`By stage`}>
      <table className="mt-3 w-full max-w-2xl text-left" aria-label={say`By stage`}>
        <thead className="secondary">
          <tr>
            {[say`stage`, say`irrigation`, say`rain`, say`crop use`, say`below`, say`stress days`].map(
              (h) => (
                <th key={h} className="pr-2 font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {season.by_stage.map((s) => (
            <tr key={s.stage} className="border-t border-rule">
              <th scope="row" className="py-1 font-normal">
                {sayCode(s.stage)}
              </th>
              <td className="figure">{mm(s.irrigation_mm)}</td>
              <td className="figure">{mm(s.rain_mm)}</td>
              <td className="figure">{mm(s.use_mm)}</td>
              <td className="figure">{mm(s.below_mm)}</td>
              <td className="figure">{s.stress_days}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Wide>
  );
}

interface PlantingsProps {
  season: Season;
  chosen: string | undefined;
  choose: (key: string | undefined) => void;
  past: boolean;
}

/** What was planted here, one after another, with what it brought. */
function Plantings({ season, chosen, choose, past }: PlantingsProps) {
  const units = useUnits();
  const shown = chosen ?? season.plantings.filter((p) => p.first_day <= season.as_of).at(-1)?.key;
  return (
    <section aria-label={say`Plantings`}>
      <h2 className="text-[17px] font-bold">{say`Plantings`}</h2>
      {season.plantings.length === 0 && <p>{say`Nothing was planted yet, or no date is entered.`}</p>}
      <ul>
        {season.plantings.map((p) => (
          <li key={`${p.key} ${p.first_day}`} className="border-t border-rule py-1.5">
            <p>
              <b>
                {sayCode(p.crop)}
                {p.variety && `, ${p.variety}`}
              </b>
              : {begun(p.begins)} {date(p.first_day)}
              {p.last_day && say`, harvested ${date(p.last_day)}`}
              {p.yield_t_ha !== null && `, ${show(p.yield_t_ha, "yield", units)}`}
              {p.yield_aim_t_ha !== null &&
                say` of ${show(p.yield_aim_t_ha, "yield", units, false)} aimed at`}
            </p>
            {p.harvests.map((h) => (
              <p key={h.key} className="secondary">
                {h.kind === "cutting" ? say`cut` : say`harvested`} {date(h.day)}
                {h.yield_t_ha !== null && `, ${show(h.yield_t_ha, "yield", units)}`}{" "}
                {!past && <TakeBack blockKey={season.key} kind="harvests" record={h.key} />}
              </p>
            ))}
            {!past && <TakeBack blockKey={season.key} kind="plantings" record={p.key} />}
            {p.key !== shown && p.first_day <= season.as_of && (
              <button
                type="button"
                className="mr-3 underline"
                onClick={() => choose(p.key)}
              >{say`its account`}</button>
            )}
          </li>
        ))}
      </ul>
      {!past && <AddPlanting season={season} />}
    </section>
  );
}
