import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, unwrap } from "../../api/client";
import { useAsOf, useUnits } from "../../app/farm";
import { usePointed } from "../../app/pointed";
import { useMay } from "../../app/session";
import { clock, day } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { TableView } from "../../ui/TableView";
import { wettingsTable } from "./tables";

interface WettingsProps {
  found: Schemas["ProfileContent"];
  offset: number;
}

/** Every wetting the sensors saw, newest first: how much, how deep, what from, what went below the roots. */
export function Wettings({ found, offset }: WettingsProps) {
  const units = useUnits();
  const many = new Set(found.wettings.map((w) => w.station)).size > 1;
  const newest = [...found.wettings].sort((a, b) => b.start_at - a.start_at);
  const [pointed] = usePointed();
  const then = pointed === null ? undefined : newest.find((w) => w.start_at + offset <= pointed);
  if (found.why_not) return <p>{found.why_not}</p>;
  if (newest.length === 0) return <p>{say`No wetting in these ${found.days} days.`}</p>;
  return (
    <>
      <ul>
        {newest.slice(0, 12).map((w) => (
          <li
            key={`${w.station} ${w.start_at}`}
            aria-current={w === then ? "time" : undefined}
            className={`border-b border-rule py-1.5 ${w === then ? "bg-band" : ""}`}
          >
            <p>
              {w.between ? (
                <>
                  {say`between`} <Moment at={w.between.from_at} offset={offset} /> {say`and`}{" "}
                  <Moment at={w.between.to_at} offset={offset} />
                </>
              ) : (
                <Moment at={w.start_at} offset={offset} />
              )}
              {many && <span className="secondary"> {say`· station ${w.station}`}</span>}
            </p>
            <p>{sayWith`${w.between && say`at least `}${<b className="figure">+{show(w.gain_mm, "depth", units)}</b>} to ${<b className="figure">{show(w.reach_cm, "soilDepth", units)}</b>}${
              w.front_cm_h !== null &&
              w.front_cm_h > 0 &&
              say`, ${show(w.front_cm_h, "soilDepth", units)} an hour`
            }${below(w, units)}`}</p>
            <p className="secondary">{source(w, units)}</p>
            {!w.explained && <WasItASet block={found.key} start={w.start_at} />}
          </li>
        ))}
      </ul>
      <p className="secondary mt-2">
        {say`${newest.length > 12 && say`${newest.length - 12} earlier ones are in the table. `}Depths are of the wetted soil.`}{" "}
        <TableView table={() => wettingsTable(found, offset, units)} />
      </p>
    </>
  );
}

/** One tap puts a wetting nobody logged on record, as the least it was. */
function WasItASet({ block, start }: { block: string; start: number }) {
  const client = useQueryClient();
  const [asOf] = useAsOf();
  const may = useMay();
  const [said, setSaid] = useState("");
  if (asOf || !may("sets")) return null;
  const tap = async () => {
    try {
      unwrap(
        await api.POST("/api/blocks/{key}/seen-sets", {
          params: { path: { key: block } },
          body: { start_at: start },
        }),
      );
      await client.invalidateQueries();
    } catch (error) {
      setSaid(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <p>
      {say`Was this a set?`}{" "}
      <button type="button" className="underline" onClick={() => void tap()}>{say`Yes, log it`}</button>{" "}
      {said && <span role="alert">{said}</span>}
    </p>
  );
}

function Moment({ at, offset }: { at: number; offset: number }) {
  const moment = new Date((at + offset) * 1000);
  return (
    <>
      <b>{day(moment)}</b> {clock(moment)}
    </>
  );
}

function below(w: Schemas["WettingOut"], units: UnitSystem) {
  if (w.below_mm === null || w.below_mm < 0.5) return null;
  return <>{say`; ${show(w.below_mm, "depth", units)} went below the roots`}</>;
}

function source(w: Schemas["WettingOut"], units: UnitSystem): string {
  if (!w.explained) return say`Not explained: ${w.suspect}.`;
  const from = w.from_what.map((f) => say`${f.kind} of ${show(f.depth_mm, "depth", units)}`).join(" and ");
  if (w.between) return say`From a ${from}. Nobody read in between.`;
  const times = w.arrivals.map(
    (a) => say`${show(a.depth_cm, "soilDepth", units)} after ${hours(a.at - w.start_at)}`,
  );
  return say`From a ${from}. Arrived at ${times.slice(1).join(", ") || say`the top only`}.`;
}

function hours(seconds: number): string {
  const h = Math.max(0, Math.round(seconds / 3600));
  return h === 0 ? say`under an hour` : `${h} h`;
}
