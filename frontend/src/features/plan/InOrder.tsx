import { useUnits } from "../../app/farm";
import { hoursWords } from "../../lib/numbers";
import { quantity, show } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { TableView } from "../../ui/TableView";
import { when } from "./ChosenSet";
import { nameOf, type PlannedSet } from "./lanes";
import type { Plan } from "./queries";

/** The sets as they start: what a field hand reads. */
export function InOrder({ plan, sets }: { plan: Plan; sets: PlannedSet[] }) {
  const units = useUnits();
  const lane = (s: PlannedSet) => plan.lanes.find((l) => l.supply === s.supply)?.name ?? s.supply;
  const table = () => ({
    title: say`Sets in order`,
    columns: [
      say`state`,
      say`start`,
      say`end`,
      say`block`,
      say`supply`,
      say`hours`,
      say`flow, ${quantity("supplyFlow", units).unit}`,
      say`water, ${quantity("volume", units).unit}`,
      say`net, ${quantity("depth", units).unit}`,
      say`gross, ${quantity("depth", units).unit}`,
    ],
    rows: sets.map((s) => [
      s.state,
      s.start,
      s.end,
      nameOf(s),
      lane(s),
      s.hours.toFixed(2),
      show(s.flow_m3_h, "supplyFlow", units, false),
      show(s.volume_m3, "volume", units, false),
      show(s.net_mm, "depth", units, false),
      show(s.gross_mm, "depth", units, false),
    ]),
  });
  return (
    <section aria-label={say`Sets in order`} className="mt-4">
      <p className="mb-1 flex justify-between gap-3">
        <b>{say`In order`}</b>
        <span className="secondary no-print">
          <TableView table={table} />
        </span>
      </p>
      <ol>
        {sets.map((s) => (
          <li key={s.key} className="grid grid-cols-[6.5rem_minmax(0,1fr)] gap-x-3 border-t border-rule py-1">
            <span className="figure">{when(s.start)}</span>
            <span>
              {sayWith`${<b>{nameOf(s)}</b>} ${hoursWords(s.hours)} from ${lane(s)}, ${show(s.net_mm, "depth", units)} net`}
              {s.state !== "proposed" && <span className="secondary">, {sayCode(s.state)}</span>}
              {s.late && (
                <span className="secondary block">
                  {lateWords(s.late_h)}
                  {s.past_mm >= 1 ? say`, ${show(s.past_mm, "depth", units)} past its trigger` : ""}
                </span>
              )}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}

const lateWords = (hours: number) =>
  hours < 48
    ? say`${Math.round(hours)} h later than the crop asks`
    : say`${(hours / 24).toFixed(1)} days later than the crop asks`;
