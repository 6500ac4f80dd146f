import { useState } from "react";
import { Link } from "react-router";
import { useAsOf, useFarm } from "../../app/farm";
import { useMay } from "../../app/session";
import { say, sayCount } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Arming } from "./Arming";
import { ChosenSet, type SetActs } from "./ChosenSet";
import { type Draft, drawn, EMPTY, nudged, placeOf, toApprove } from "./draft";
import { InOrder } from "./InOrder";
import { Lanes } from "./Lanes";
import type { PlannedSet } from "./lanes";
import { type Plan, useCheck, usePlan, usePlanActs } from "./queries";
import { Unfit } from "./Unfit";

const SPANS = [1, 2, 3, 5, 7];

/** The advised sets laid on the farm's supplies: at once by their deadlines, then the best there is. */
export function PlanPage() {
  const farm = useFarm();
  const [asOf] = useAsOf();
  const [days, setDays] = useState(3);
  const quick = usePlan(asOf, days, true);
  const [stopped, setStopped] = useState(false);
  const best = usePlan(asOf, days, false, { enabled: !stopped });
  const plan = best.data ?? quick.data;
  if (!farm.set_up) return <p className="py-6">{say`No farm is set up yet.`}</p>;
  if (best.isError && quick.isError) return <p className="py-6">{best.error.message}</p>;
  if (!plan) return <p className="secondary py-6">{say`Laying the sets …`}</p>;
  return (
    <ThePlan
      key={`${plan.id} ${best.data ? "best" : "quick"}`}
      plan={plan}
      past={asOf !== undefined}
      waiting={best.isPending && !stopped}
      stop={() => setStopped(true)}
      trouble={best.isError ? best.error.message : ""}
      spans={
        <Spans
          days={days}
          setDays={(n) => {
            setDays(n);
            setStopped(false);
          }}
        />
      }
    />
  );
}

interface ThePlanProps {
  plan: Plan;
  past: boolean;
  waiting: boolean;
  stop: () => void;
  trouble: string;
  spans: React.ReactNode;
}

function ThePlan({ plan, past, waiting, stop, trouble, spans }: ThePlanProps) {
  const may = useMay();
  const acts = usePlanActs();
  const [draft, setDraft] = useState<Draft>(EMPTY);
  const [chosen, setChosen] = useState<string>();
  const [busy, setBusy] = useState(false);
  const [said, setSaid] = useState("");
  const sets = drawn(plan, draft);
  const set = sets.find((s) => s.key === chosen);
  const tonight = toApprove(plan, draft);
  const live = sets.filter(
    (s) => draft.moved[s.key] || (s.state === "proposed" && !draft.out.includes(s.key)),
  );
  const check = useCheck(plan.id, Object.keys(draft.moved).length > 0 ? live.map(placeOf) : []);
  const breaks = Object.keys(draft.moved).length > 0 ? (check.data?.breaks ?? []) : [];
  const mine = !past && !waiting && may("planned_sets");
  const doing = async (what: () => Promise<unknown>) => {
    setBusy(true);
    try {
      await what();
      setSaid("");
    } catch (error) {
      setSaid(error instanceof Error ? error.message : String(error));
    } finally {
      setBusy(false);
    }
  };
  const setActs = (one: PlannedSet): SetActs => ({
    moved: Boolean(draft.moved[one.key]),
    out: draft.out.includes(one.key),
    breaks: breaks.filter((b) => b.key === one.key).map((b) => b.words),
    step: plan.step_min,
    nudge: (by) => setDraft((d) => nudged(plan, d, one, by)),
    busy,
    approve: () => void doing(() => acts.approve(plan.id, plan.days, [placeOf(one)])),
    move: () => void doing(() => acts.change(one.key, { start: one.start })),
    back: () => setDraft(without(draft, one.key)),
    leave: () => setDraft(toggled(draft, one.key)),
    lock: () => void doing(() => acts.change(one.key, { locked: !one.locked })),
    withdraw: () => void doing(() => acts.change(one.key, { withdraw: true })),
  });
  return (
    <div className="grid gap-x-6 gap-y-4 min-[1100px]:grid-cols-[minmax(0,1fr)_326px]">
      <div className="min-w-0">
        <div className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
          <h1>{plan.words}</h1>
          {spans}
        </div>
        <p className="secondary mb-2" aria-live="polite">
          {statusOf(plan, waiting, trouble)}{" "}
          {waiting && <button type="button" className="underline" onClick={stop}>{say`Stop looking`}</button>}
        </p>
        {sets.length > 0 && (
          <Lanes
            plan={plan}
            sets={sets}
            chosen={set}
            broken={new Set(breaks.map((b) => b.key))}
            out={draft.out}
            choose={(s) => setChosen(s.key)}
            nudge={mine ? (s, by) => setDraft((d) => nudged(plan, d, s, by)) : undefined}
          />
        )}
        {sets.length > 0 && <InOrder plan={plan} sets={sets} />}
      </div>
      <aside className="sheet self-start p-3.5">
        {set ? (
          <ChosenSet set={set} acts={mine ? setActs(set) : undefined} />
        ) : (
          sets.length > 0 && (
            <p className="secondary mb-2">{say`Choose a set to see it here. Drag it to move it.`}</p>
          )
        )}
        <Unfit plan={plan} waiting={waiting} />
        {said && (
          <p role="alert" className="mt-2 font-bold text-clay">
            {said}
          </p>
        )}
        {mine && tonight.length > 0 && (
          <Button
            kind="act"
            className="mt-3"
            disabled={busy || breaks.length > 0}
            onClick={() => void doing(() => acts.approve(plan.id, plan.days, tonight.map(placeOf)))}
          >{say`Approve tonight: ${tonight.length} ${tonight.length === 1 ? say`set` : say`sets`}`}</Button>
        )}
        <p className="no-print mt-3 flex flex-wrap gap-x-4 gap-y-1">
          <Link className="underline" to="/tonight">{say`Run sheet`}</Link>
          <a className="underline" href="/api/plan/calendar.ics">{say`Calendar`}</a>
          <a className="underline" href={`/api/plan/table.csv?days=${plan.days}`}>{say`Download CSV`}</a>
          <Link className="underline" to="/setup/water">{say`Water side`}</Link>
        </p>
        <Arming plan={plan} />
      </aside>
    </div>
  );
}

function without(draft: Draft, key: string): Draft {
  const moved = { ...draft.moved };
  delete moved[key];
  return { ...draft, moved };
}

function toggled(draft: Draft, key: string): Draft {
  const out = draft.out.includes(key) ? draft.out.filter((k) => k !== key) : [...draft.out, key];
  return { ...draft, out };
}

function statusOf(plan: Plan, waiting: boolean, trouble: string): string {
  if (trouble) return say`By the deadlines alone: ${trouble}`;
  if (waiting) return say`By the deadlines alone; looking for the best one …`;
  return plan.proven
    ? say`No other plan stresses the crops less.`
    : say`Other plans may stress the crops a little less.`;
}

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
          {sayCount(n, "{n} day", "{n} days")}
        </button>
      ))}
    </span>
  );
}
