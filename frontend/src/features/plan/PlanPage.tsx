import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Schemas, unwrap } from "../../api/client";
import { useAsOf, useFarm, useKeepAsOf, useUnits } from "../../app/farm";
import { clock, day, wall } from "../../lib/dates";
import { quantity, show } from "../../lib/units";
import { TableView } from "../../ui/TableView";
import { Lanes } from "./Lanes";
import { hoursWords, nameOf, type PlannedSet } from "./lanes";

const SPANS = [1, 2, 3, 5, 7];
type Plan = Schemas["PlanContent"];

function usePlan(asOf: string | undefined, days: number, quick: boolean) {
  return useQuery({
    queryKey: ["plan", asOf, days, quick],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/api/plan", { params: { query: { as_of: asOf, days, quick } }, signal })),
    staleTime: 60_000,
  });
}

/** The advised sets laid on the farm's supplies: at once by their deadlines, then the best there is. */
export function PlanPage() {
  const farm = useFarm();
  const [asOf] = useAsOf();
  const [days, setDays] = useState(3);
  const quick = usePlan(asOf, days, true);
  const best = usePlan(asOf, days, false);
  const [chosen, setChosen] = useState<string>();
  const plan = best.data ?? quick.data;
  if (!farm.set_up) return <p className="py-6">No farm is set up yet.</p>;
  if (best.isError && quick.isError) return <p className="py-6">{best.error.message}</p>;
  if (!plan) return <p className="secondary py-6">Laying the sets …</p>;
  const set = plan.sets.find((s) => keyOf(s) === chosen);
  return (
    <div className="grid gap-x-6 gap-y-4 min-[1100px]:grid-cols-[minmax(0,1fr)_326px]">
      <div className="min-w-0">
        <div className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
          <h1>{plan.words}</h1>
          <Spans days={days} setDays={setDays} />
        </div>
        <p className="secondary mb-2" aria-live="polite">
          {best.isError
            ? `By the deadlines alone: ${best.error.message}`
            : best.isPending
              ? "By the deadlines alone; looking for the best one …"
              : plan.proven
                ? "No other plan stresses the crops less."
                : "Other plans may stress the crops a little less."}
        </p>
        {plan.sets.length > 0 && <Lanes plan={plan} chosen={set} choose={(s) => setChosen(keyOf(s))} />}
        {plan.sets.length > 0 && <RunSheet plan={plan} />}
      </div>
      <aside className="sheet self-start p-3.5">
        {set ? (
          <Chosen set={set} />
        ) : (
          plan.sets.length > 0 && <p className="secondary">Choose a set to see it here.</p>
        )}
        <Unfit plan={plan} waiting={best.isPending} />
      </aside>
    </div>
  );
}

const keyOf = (set: PlannedSet) => `${set.block} ${set.part}`;
/** "Tue 06:00": a plan is no longer than ten days, and the drawing above has the dates. */
const when = (iso: string) => `${day(wall(iso)).slice(0, 3)} ${clock(wall(iso))}`;

function Spans({ days, setDays }: { days: number; setDays: (days: number) => void }) {
  return (
    <span className="secondary no-print flex gap-3">
      {SPANS.map((n) => (
        <button
          key={n}
          type="button"
          aria-pressed={n === days}
          className={n === days ? "font-bold text-ink underline" : ""}
          onClick={() => setDays(n)}
        >
          {n === 1 ? "1 day" : `${n} days`}
        </button>
      ))}
    </span>
  );
}

/** The sets as they start: what a field hand reads. */
function RunSheet({ plan }: { plan: Plan }) {
  const units = useUnits();
  const lane = (s: PlannedSet) => plan.lanes.find((l) => l.supply === s.supply)?.name ?? s.supply;
  const table = () => ({
    title: "Sets in order",
    columns: [
      "start",
      "end",
      "block",
      "supply",
      "hours",
      `flow, ${quantity("supplyFlow", units).unit}`,
      `water, ${quantity("volume", units).unit}`,
      `net, ${quantity("depth", units).unit}`,
      `gross, ${quantity("depth", units).unit}`,
    ],
    rows: plan.sets.map((s) => [
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
    <section aria-label="Sets in order" className="mt-4">
      <p className="mb-1 flex justify-between gap-3">
        <b>In order</b>
        <span className="secondary no-print">
          <TableView table={table} />
        </span>
      </p>
      <ol>
        {plan.sets.map((s) => (
          <li
            key={keyOf(s)}
            className="grid grid-cols-[6.5rem_minmax(0,1fr)] gap-x-3 border-t border-rule py-1"
          >
            <span className="figure">{when(s.start)}</span>
            <span>
              <b>{nameOf(s)}</b> {hoursWords(s.hours)} from {lane(s)}, {show(s.net_mm, "depth", units)} net
              {s.late && <span className="secondary block">{lateWords(s.late_h)}</span>}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}

const lateWords = (hours: number) =>
  hours < 48
    ? `${Math.round(hours)} h later than the crop asks`
    : `${(hours / 24).toFixed(1)} days later than the crop asks`;

function Chosen({ set }: { set: PlannedSet }) {
  const units = useUnits();
  const keep = useKeepAsOf();
  const lines: [string, string][] = [
    ["Start, end", `${when(set.start)} – ${when(set.end)}`],
    ["Water", `${show(set.volume_m3, "volume", units)} · ${show(set.net_mm, "depth", units)} net`],
    ["Flow", show(set.flow_m3_h, "supplyFlow", units)],
    ["Trigger reached", when(set.due)],
    ...(set.cost > 0 ? ([["Cost, by tariff", set.cost.toFixed(0)]] as [string, string][]) : []),
  ];
  return (
    <section aria-label="Chosen set" className="mb-3">
      <h2 className="mb-1 text-[16px] font-bold">
        <Link className="underline" to={keep(`/block/${set.block}`)}>
          {nameOf(set)}
        </Link>
      </h2>
      <dl>
        {lines.map(([name, value]) => (
          <div key={name} className="flex justify-between gap-3">
            <dt>{name}</dt>
            <dd className="figure text-right">{value}</dd>
          </div>
        ))}
      </dl>
      <p className="secondary mt-1">{set.why}</p>
    </section>
  );
}

function Unfit({ plan, waiting }: { plan: Plan; waiting: boolean }) {
  return (
    <>
      {plan.unfit.map((one) => (
        <section key={one.block} className="mb-2">
          <h2 className="text-[16px] font-bold">
            {one.parts > 1
              ? `${one.name}: ${one.left} of ${one.parts} parts find no place`
              : `${one.name} finds no place`}
          </h2>
          <p>{one.lacks}.</p>
        </section>
      ))}
      {plan.held.map((one) => (
        <p key={one.block} className="mb-2">
          <b>{one.name} is held.</b> {one.why}
        </p>
      ))}
      {plan.ways_out.length > 0 && (
        <section aria-label="Ways out" className="mt-3">
          <p className="secondary font-bold">Ways out</p>
          <ul>
            {plan.ways_out.map((way) => (
              <li key={way.words} className="border-t border-rule py-1.5">
                {way.words}
              </li>
            ))}
          </ul>
        </section>
      )}
      {!waiting && plan.unfit.length === 0 && plan.ways_out.length === 0 && (
        <p>{plan.sets.length === 0 ? "No block asks for water in these days." : "All sets find a place."}</p>
      )}
    </>
  );
}
