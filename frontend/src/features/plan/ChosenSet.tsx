import { Link } from "react-router";
import { useKeepAsOf, useUnits } from "../../app/farm";
import { clock, day, wall } from "../../lib/dates";
import { hoursWords } from "../../lib/numbers";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { nameOf, type PlannedSet } from "./lanes";

/** "Tue 06:00": a plan is no longer than ten days, and the drawing above has the dates. */
export const when = (iso: string) => `${day(wall(iso)).slice(0, 3)} ${clock(wall(iso))}`;

export interface SetActs {
  moved: boolean;
  out: boolean;
  breaks: string[];
  step: number;
  nudge: (minutes: number) => void;
  busy: boolean;
  approve: () => void;
  move: () => void;
  back: () => void;
  leave: () => void;
  lock: () => void;
  withdraw: () => void;
}

interface ChosenSetProps {
  set: PlannedSet;
  acts: SetActs | undefined;
}

/** The set that is chosen: what it is, what its place breaks, and what may be done with it. */
export function ChosenSet({ set, acts }: ChosenSetProps) {
  const units = useUnits();
  const keep = useKeepAsOf();
  const lines: [string, string][] = [
    [say`Start, end`, `${when(set.start)} – ${when(set.end)}`],
    [
      say`Lasts`,
      set.pulses > 1 ? say`${hoursWords(set.hours)}, ${set.pulses} pulses` : hoursWords(set.hours),
    ],
    [say`Water`, say`${show(set.volume_m3, "volume", units)} · ${show(set.net_mm, "depth", units)} net`],
    [say`Flow`, show(set.flow_m3_h, "supplyFlow", units)],
    ...(set.due ? ([[say`Trigger reached`, when(set.due)]] as [string, string][]) : []),
    ...(set.cost > 0 ? ([[say`Cost, by tariff`, set.cost.toFixed(0)]] as [string, string][]) : []),
    ...(set.valve || set.tag
      ? ([[say`Valve`, [set.valve, set.tag].filter(Boolean).join(", ")]] as [string, string][])
      : []),
    [say`State`, set.locked ? say`${set.state}, locked` : set.state],
  ];
  return (
    <section aria-label={say`Chosen set`} className="mb-4">
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
      <p className="secondary mt-1">{set.note || set.why}</p>
      {acts?.breaks.map((words) => (
        <p key={words} role="alert" className="mt-1 font-bold text-clay">
          {words}.
        </p>
      ))}
      {acts && ["proposed", "approved"].includes(set.state) && !set.locked && (
        <p className="mt-2 flex flex-wrap gap-2">
          <Button onClick={() => acts.nudge(-acts.step)}>{say`${acts.step} min earlier`}</Button>
          <Button onClick={() => acts.nudge(acts.step)}>{say`${acts.step} min later`}</Button>
        </p>
      )}
      {acts && <Doing set={set} acts={acts} />}
    </section>
  );
}

function Doing({ set, acts }: { set: PlannedSet; acts: SetActs }) {
  const blocked = acts.busy || acts.breaks.length > 0;
  if (set.state === "proposed")
    return (
      <p className="mt-2 flex flex-wrap gap-2">
        <Button disabled={blocked || acts.out} onClick={acts.approve}>{say`Approve this set`}</Button>
        <Button kind="quiet" onClick={acts.leave}>
          {acts.out ? say`Take it in again` : say`Leave it out`}
        </Button>
        {acts.moved && <Button kind="quiet" onClick={acts.back}>{say`Undo the move`}</Button>}
      </p>
    );
  if (set.state !== "approved") return null;
  return (
    <p className="mt-2 flex flex-wrap gap-2">
      {acts.moved && (
        <>
          <Button kind="ink" disabled={blocked} onClick={acts.move}>{say`Move to ${when(set.start)}`}</Button>
          <Button kind="quiet" onClick={acts.back}>{say`Undo the move`}</Button>
        </>
      )}
      <Button disabled={acts.busy} onClick={acts.lock}>
        {set.locked ? say`Unlock` : say`Lock`}
      </Button>
      <Button kind="quiet" disabled={acts.busy} onClick={acts.withdraw}>{say`Cancel this set`}</Button>
    </p>
  );
}
