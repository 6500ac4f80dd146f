import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { useDelete } from "../../app/records";
import { useMay } from "../../app/session";
import { clock, day, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say } from "../../lib/words";

const SHOWN = 8;

/** Sets as they were logged, newest first; a wrong one is deleted, and can be brought back. */
export function LoggedSets({ sets, offset }: { sets: Schemas["SetOut"][]; offset: number }) {
  const units = useUnits();
  const may = useMay();
  const remove = useDelete();
  if (sets.length === 0) return null;
  const newest = [...sets].sort((a, b) => b.start_at - a.start_at);
  return (
    <section aria-label={say`Logged sets`} className="mt-3 border-t border-rule pt-2">
      <h2 className="font-bold">{say`Logged sets`}</h2>
      <ul>
        {newest.slice(0, SHOWN).map((s) => {
          const began = new Date((s.start_at + offset) * 1000);
          const name = say`Set of ${day(began)}, ${show(s.gross_mm, "depth", units)}`;
          return (
            <li key={s.key} className="flex justify-between gap-3 border-b border-rule py-1">
              <span>
                {say`${day(began)} ${clock(began)} · ${show(s.gross_mm, "depth", units)} gross`}
                {s.note && <span className="secondary"> · {s.note}</span>}
              </span>
              {may("sets") && (
                <Remove name={name} remove={() => remove({ kind: "sets", key: s.key, name })} />
              )}
            </li>
          );
        })}
      </ul>
      {newest.length > SHOWN && (
        <p className="secondary">{say`and ${newest.length - SHOWN} earlier in this span`}</p>
      )}
    </section>
  );
}

/** Rain and reference ET of the last days as they stand on record. */
export function LoggedDays({ days }: { days: Schemas["LedgerDay"][] }) {
  const units = useUnits();
  const may = useMay();
  const remove = useDelete();
  const known = days.filter((d) => d.when === "past" && !d.filled && d.eto_mm !== null).slice(-SHOWN);
  if (known.length === 0) return null;
  return (
    <details className="no-print mt-2">
      <summary className="cursor-pointer underline">{say`Weather on record`}</summary>
      <ul>
        {[...known].reverse().map((d) => {
          const date = day(wall(d.day));
          return (
            <li key={d.day} className="flex flex-wrap justify-between gap-x-3 border-b border-rule py-1">
              <span>{date}</span>
              <span className="figure">
                {say`ET ${show(d.eto_mm ?? 0, "depth", units)}`}{" "}
                {may("eto") && (
                  <Remove
                    name={`ET of ${date}`}
                    remove={() => remove({ kind: "eto", key: d.day, name: say`ET of ${date}` })}
                  />
                )}
              </span>
              <span className="figure">
                {d.rain_mm > 0 ? say`rain ${show(d.rain_mm, "depth", units)} ` : say`no rain `}
                {d.rain_mm > 0 && may("rain") && (
                  <Remove
                    name={`Rain of ${date}`}
                    remove={() => remove({ kind: "rain", key: d.day, name: say`Rain of ${date}` })}
                  />
                )}
              </span>
            </li>
          );
        })}
      </ul>
    </details>
  );
}

function Remove({ name, remove }: { name: string; remove: () => void }) {
  return (
    <button
      type="button"
      className="secondary no-print underline"
      aria-label={say`Delete ${name}`}
      onClick={remove}
    >{say`delete`}</button>
  );
}
