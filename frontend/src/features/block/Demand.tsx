import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { DemandPlot } from "../../charts/DemandPlot";
import { day, wall } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { TableView } from "../../ui/TableView";
import { AirLimits } from "./AirLimits";
import { LoggedDays } from "./Logged";
import { useLedger, useSkill } from "./queries";
import { SaidThen } from "./SaidThen";
import { ledgerTable } from "./tables";
import { WeatherDialog } from "./WeatherDialog";

interface DemandProps {
  blockKey: string;
  asOf: string | undefined;
}

/** The demand of the block behind and ahead, what the sensors saw of it, and how good past dates were. */
export function Demand({ blockKey, asOf }: DemandProps) {
  const ledger = useLedger(blockKey, asOf);
  const skill = useSkill(blockKey, asOf);
  const may = useMay();
  const units = useUnits();
  const [adding, setAdding] = useState(false);
  const [said, setSaid] = useState("");
  if (ledger.isPending) return <p className="secondary">{say`Calculating …`}</p>;
  if (ledger.isError) return <p>{ledger.error.message}</p>;
  const found = ledger.data;
  return (
    <>
      {found.why_not ? (
        <p>{say`No date by weather: ${found.why_not}. The slope of the last dry-down is used instead.`}</p>
      ) : (
        <Basis found={found} />
      )}
      {found.days.some((d) => d.expected_mm !== null || d.used_mm !== null) && (
        <DemandPlot days={found.days} units={units} />
      )}
      <Days found={found} />
      <p className="secondary mt-2">
        <TableView table={() => ledgerTable(found, units)} label={say`all of it as a table`} />
        {may("forecasts") && (
          <button
            type="button"
            className="no-print ml-3 underline"
            onClick={() => setAdding(true)}
          >{say`add weather`}</button>
        )}
        <AirLimits />
      </p>
      <LoggedDays days={found.days} />
      {said && <p role="status">{said}</p>}
      {adding && (
        <WeatherDialog
          asOf={found.as_of}
          close={(words) => {
            setAdding(false);
            if (words) setSaid(words);
          }}
        />
      )}
      <section aria-label={say`Past dates`} className="mt-3 border-t border-rule pt-2">
        <h2 className="font-bold">{say`How good past dates were`}</h2>
        {skill.isPending && <p className="secondary">{say`Looking back …`}</p>}
        {skill.data && <Skill found={skill.data} />}
      </section>
      {!asOf && <SaidThen blockKey={blockKey} />}
    </>
  );
}

function Basis({ found }: { found: Schemas["LedgerContent"] }) {
  return (
    <div className="secondary">
      {found.factor && (
        <p>{sayWith`${<b className="text-ink">{say`Actual use ÷ calculated ${found.factor.mid.toFixed(2)}`}</b>} (${found.factor.low.toFixed(2)} to ${(found.factor.high ?? 0).toFixed(2)}): ${found.factor_how}.`}</p>
      )}
      <p>{found.calendar}.</p>
      <p>{found.weather}.</p>
    </div>
  );
}

function Days({ found }: { found: Schemas["LedgerContent"] }) {
  const units = useUnits();
  const shown = found.days.filter((d) => d.when === "ahead").slice(0, 7);
  if (shown.length === 0) return null;
  return (
    <table className="figure mt-2 w-full text-[13px]">
      <thead>
        <tr className="border-b border-ink text-left">
          <th scope="col">{say`ahead`}</th>
          <th scope="col">{say`ETo`}</th>
          <th scope="col">{say`Kc`}</th>
          <th scope="col">{say`ETc`}</th>
          <th scope="col">{say`rain`}</th>
        </tr>
      </thead>
      <tbody>
        {shown.map((d) => (
          <tr key={d.day} className="border-b border-rule">
            <th scope="row" className="font-normal">
              {day(wall(`${d.day}T12:00`))}
            </th>
            <td title={band(d, units)}>{d.eto_mm === null ? "–" : show(d.eto_mm, "use", units, false)}</td>
            <td>{d.kc?.toFixed(2) ?? "–"}</td>
            <td>{d.etc_mm === null ? "–" : show(d.etc_mm, "use", units, false)}</td>
            <td>
              {show(d.rain_mm, "depth", units, false)}
              {d.rain_chance ? ` (${Math.round(100 * d.rain_chance)} %)` : ""}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Skill({ found }: { found: Schemas["SkillContent"] }) {
  const recent = found.calls.filter((c) => c.days !== null).slice(-8);
  return (
    <>
      <p>{found.words}</p>
      {found.judged > 0 && (
        <p className="secondary">{say`${found.inside} of ${found.judged} fell within their stated range; mean miss ${found.error_days?.toFixed(1)} days${
          found.straight_error_days !== null &&
          say`, against ${found.straight_error_days.toFixed(1)} for a straight line`
        }.`}</p>
      )}
      {recent.length > 0 && (
        <ul className="secondary mt-1">
          {recent.map((c) => (
            <li
              key={c.day}
            >{say`${day(wall(`${c.day}T06:00`))}: called in ${c.mid_days.toFixed(1)} days, took ${c.days?.toFixed(1)}${c.why_not ? `, ${c.why_not}` : ""}`}</li>
          ))}
        </ul>
      )}
    </>
  );
}

function band(d: Schemas["LedgerDay"], units: UnitSystem): string | undefined {
  if (d.eto_low_mm === null || d.eto_high_mm === null) return undefined;
  return say`${show(d.eto_low_mm, "use", units, false)} to ${show(d.eto_high_mm, "use", units)}`;
}
