import { Link } from "react-router";
import { dayMonth, wall } from "../../lib/dates";
import { say } from "../../lib/words";
import { useBenchPractice } from "./queries";

/** What comes out of the ground when, and what becomes of what came out. */
export function SeasonEnd() {
  const found = useBenchPractice();
  if (found.isPending) return <p className="secondary">{say`Opening …`}</p>;
  if (found.isError) return <p>{found.error.message}</p>;
  return (
    <div className="grid gap-8 lg:grid-cols-2">
      <section aria-label={say`To come out`}>
        <h2 className="text-[17px] font-bold">{say`To come out`}</h2>
        <p className="secondary">{say`A week before harvest; the date follows the crop's calendar.`}</p>
        <ul className="mt-1">
          {found.data.stations.map((s) => (
            <li key={s.station} className="border-t border-rule py-1.5">
              <Link className="font-bold underline" to={`/stations/${s.station}`}>
                {s.name}
              </Link>{" "}
              <span className={s.state === "past" || s.state === "soon" ? "font-bold" : "text-ink-2"}>
                {s.words}
              </span>
            </li>
          ))}
        </ul>
      </section>
      <section aria-label={say`Came out`}>
        <h2 className="text-[17px] font-bold">{say`Came out`}</h2>
        {found.data.refurbish.length === 0 && (
          <p>{say`Nothing was pulled yet. Pull with “Remove” on a station.`}</p>
        )}
        <ul className="mt-1">
          {found.data.refurbish.map((r) => (
            <li key={`${r.sensor} ${r.on}`} className="border-t border-rule py-1.5">
              <span className="figure">{r.sensor}</span> <b>{r.what}</b>{" "}
              {r.on && <span className="secondary">{dayMonth(wall(`${r.on}T00:00`))}</span>}
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}
