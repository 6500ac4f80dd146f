import { Link } from "react-router";
import { useAsOf, useKeepAsOf, useUnits } from "../../app/farm";
import { dayMonth, wall } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { AccountLines, begun, cubic } from "./AccountLines";
import { type FarmSeasons, type SeasonRow, useFarmSeasons } from "./queries";

const date = (day: string) => `${dayMonth(wall(`${day}T00:00`))} ${day.slice(0, 4)}`;

/** Every planting's water beside the others, by crop and variety, and the farm's account. */
export function FarmSeasonsPage() {
  const [asOf] = useAsOf();
  const found = useFarmSeasons(asOf);
  if (found.isPending) return <p className="secondary py-6">{say`Adding up the seasons of all blocks …`}</p>;
  if (found.isError) return <p className="py-6">{found.error.message}</p>;
  return <TheSeasons seasons={found.data} asOf={asOf} />;
}

function TheSeasons({ seasons, asOf }: { seasons: FarmSeasons; asOf: string | undefined }) {
  const units = useUnits();
  const keep = useKeepAsOf();
  const crops = [...new Set(seasons.rows.map((r) => r.crop))];
  const most = Math.max(1, ...seasons.rows.map((r) => r.given_mm ?? 0));
  return (
    <div className="py-1">
      <h1>{headline(seasons, units)}</h1>
      <div className="grid gap-x-7 gap-y-5 min-[1100px]:grid-cols-[minmax(0,1fr)_340px]">
        <div className="min-w-0">
          {crops.length === 0 && <p>{say`Nothing was planted yet, or no date is entered.`}</p>}
          {crops.map((crop) => (
            <section key={crop} aria-label={sayCode(crop) || say`No crop`} className="mt-3">
              <h2 className="text-[17px] font-bold">{sayCode(crop) || say`No crop`}</h2>
              <ul>
                {seasons.rows
                  .filter((r) => r.crop === crop)
                  .map((row) => (
                    <Row key={`${row.block} ${row.planting} ${row.first_day}`} row={row} most={most} />
                  ))}
              </ul>
            </section>
          ))}
          <p className="secondary mt-3">{sayWith`The bar is the irrigation; its clay end went below the roots. ${(
            <a
              className="underline"
              href={`/api/seasons/table.csv${asOf ? `?as_of=${encodeURIComponent(asOf)}` : ""}`}
            >{say`Download CSV`}</a>
          )} · ${<Link className="underline" to={keep("/water-used")}>{say`Report of the water used`}</Link>} · ${<Link className="underline" to={keep("/closing")}>{say`Close the seasons`}</Link>}`}</p>
        </div>
        <aside className="self-start">
          {seasons.total && <Total seasons={seasons} total={seasons.total} units={units} />}
        </aside>
      </div>
    </div>
  );
}

function headline({ total }: FarmSeasons, units: UnitSystem): string {
  if (!total) return say`The farm's seasons: no water account yet`;
  const given = say`${cubic(total.irrigation.m3, units)} given this season`;
  if (total.below_fraction === null) return given;
  const where = total.telling_ha < total.area_ha ? say`where probes tell it, ` : "";
  return say`${given}; ${where}${Math.round(100 * total.below_fraction)} % of it went below the roots`;
}

function Row({ row, most }: { row: SeasonRow; most: number }) {
  const units = useUnits();
  const keep = useKeepAsOf();
  const given = row.given_mm ?? 0;
  const below = Math.max(0, Math.min(given, row.below_mm ?? 0));
  return (
    <li className="grid grid-cols-1 gap-x-3 border-t border-rule py-1.5 min-[640px]:grid-cols-[10rem_minmax(4rem,1fr)_22rem]">
      <span>
        <Link
          className="font-bold hover:underline"
          to={keep(`/block/${row.block}/season?planting=${encodeURIComponent(row.planting)}`)}
        >
          {row.name}
        </Link>
        {row.variety && `, ${row.variety}`}
        <span className="secondary block">
          {begun(row.begins)} {date(row.first_day)}
          {row.last_day && say` to ${date(row.last_day)}`}
        </span>
      </span>
      {row.given_mm === null ? (
        <span className="min-[640px]:col-span-2">{say`No account because ${row.why_not}.`}</span>
      ) : (
        <>
          <span className="mt-1.5 flex h-2.5 self-start" aria-hidden="true">
            <span className="bg-deep" style={{ width: `${(100 * (given - below)) / most}%` }} />
            <span className="bg-clay" style={{ width: `${(100 * below) / most}%` }} />
          </span>
          <span>{sayWith`${show(given, "depth", units)} given, ${show(row.use_mm ?? 0, "depth", units, false)} used, ${
            row.below_mm === null
              ? say`below the roots not told`
              : say`${show(row.below_mm, "depth", units, false)} below the roots`
          }${<span className="secondary block">{outcome(row, units)}</span>}`}</span>
        </>
      )}
    </li>
  );
}

function outcome(row: SeasonRow, units: UnitSystem): string {
  const parts = [
    say`${row.stress_days} ${row.stress_days === 1 ? say`day` : say`days`} of stress`,
    say`${show(row.residual_mm ?? 0, "depth", units, false)} ± ${show(row.error_mm ?? 0, "depth", units)} not accounted for`,
  ];
  if (row.yield_t_ha !== null) parts.push(show(row.yield_t_ha, "yield", units));
  if (row.kg_m3 !== null) parts.push(show(row.kg_m3, "waterYield", units));
  return parts.join(" · ");
}

interface TotalProps {
  seasons: FarmSeasons;
  total: NonNullable<FarmSeasons["total"]>;
  units: UnitSystem;
}

function Total({ seasons, total, units }: TotalProps) {
  return (
    <section className="sheet p-4" aria-label={say`Water account of the farm`}>
      <h2 className="text-[17px] font-bold">{say`The farm · ${total.blocks} ${total.blocks === 1 ? say`block` : say`blocks`}, ${show(total.area_ha, "area", units)}`}</h2>
      <AccountLines
        told={total}
        number={(line) => line.m3}
        words={(m3) => cubic(m3, units, false)}
        left={`${cubic(total.residual.m3, units, false)} ± ${cubic(total.residual.error_m3, units)}`}
      />
      {total.telling_ha < total.area_ha && (
        <p className="secondary mt-2">{say`Below the roots is told on ${show(total.telling_ha, "area", units)}; elsewhere it is in what is not accounted for.`}</p>
      )}
      {total.money !== null && (
        <p className="mt-2">{say`${Math.round(total.money).toLocaleString("en")} in your currency${
          total.priced < total.blocks &&
          say`, of the ${total.priced === 1 ? say`one block` : say`${total.priced} blocks`} whose supply has a price`
        }`}</p>
      )}
      {seasons.left_out.length > 0 && (
        <p className="mt-2">{say`Not in the sum, for want of an account: ${seasons.left_out.join(", ")}.`}</p>
      )}
      <p className="no-print mt-3">
        <Button onClick={() => window.print()}>{say`Print`}</Button>
      </p>
    </section>
  );
}
