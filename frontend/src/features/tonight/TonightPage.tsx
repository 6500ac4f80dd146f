import { useEffect, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useAsOf, useFarm } from "../../app/farm";
import { useMay } from "../../app/session";
import { clock, day, wall } from "../../lib/dates";
import { keepForTheField } from "../../lib/fieldCopy";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { usePlanActs, useTonight } from "../plan/queries";
import { GoAndSee } from "./GoAndSee";
import { NightSet } from "./NightSet";
import { farmNow, type Told, toldQueue, type Waiting } from "./queue";
import { RefusedLines } from "./RefusedLines";
import { useQueue } from "./useQueue";

type Tonight = Schemas["TonightContent"];

/** Last night and tonight: what ran, what is to run, and what a field hand starts and stops; works without a signal. */
export function TonightPage() {
  const [asOf] = useAsOf();
  const tonight = useTonight(asOf);
  const [kept, setKept] = useState(false);
  useEffect(() => {
    keepForTheField("/tonight", "/api/tonight", "/api/audit").then(setKept, () => setKept(false));
  }, []);
  if (tonight.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (tonight.isError) return <p className="py-6">{tonight.error.message}</p>;
  return <TheNight content={tonight.data} kept={kept} past={asOf !== undefined} />;
}

function TheNight({ content, kept, past }: { content: Tonight; kept: boolean; past: boolean }) {
  const may = useMay();
  const farm = useFarm();
  const { list, say: tell, drop, send } = useQueue(toldQueue);
  const at = wall(content.as_of);
  const [walking, setWalking] = useState(false);
  const { stopAll } = usePlanActs();
  const [stopped, setStopped] = useState("");
  const stop = async () => {
    const missed = await stopAll();
    setStopped(
      missed.length === 0
        ? say`All valves were told to close. Nothing is armed.`
        : say`Not reached: ${missed.join(", ")}. Its valves close at their longest time. Close them by hand.`,
    );
  };
  const sets = walking
    ? [...content.sets].sort((a, b) => content.walk.indexOf(a.key) - content.walk.indexOf(b.key))
    : content.sets;
  const now = () => farmNow(content.as_of, farm.clock_held);
  const mine = !past && may("running sets");
  const told = (entry: Omit<Told, "note" | "at"> & { at?: string; note?: string }) =>
    tell({ note: "", at: now(), ...entry });
  return (
    <div className="max-w-xl py-1">
      <p className="flex items-baseline justify-between gap-3">
        <b>{say`Tonight`}</b>
        <span className="secondary">
          {day(at)}, {clock(at)}
          {kept ? say` · opens without a signal too` : ""}
        </span>
      </p>
      <h1>{content.tonight}</h1>
      <Queue list={list} send={() => void send()} drop={drop} />
      {content.controllers
        .filter((c) => c.trouble)
        .map((c) => (
          <p
            key={c.key}
            role="alert"
            className="mt-1 font-bold text-clay"
          >{say`${c.name} is not reached: ${c.trouble}. Open valves close at their longest time.`}</p>
        ))}
      {content.controllers
        .filter((c) => Math.abs(c.clock_off_s ?? 0) > 60)
        .map((c) => (
          <p
            key={c.key}
          >{say`The clock of ${c.name} is ${Math.round(Math.abs(c.clock_off_s ?? 0) / 60)} min ${(c.clock_off_s ?? 0) > 0 ? say`ahead` : say`behind`}; times here are the farm's.`}</p>
        ))}
      {content.flows.map((words) => (
        <p key={words}>{words}</p>
      ))}
      {content.sets.length > 1 && (
        <label className="no-print mt-2 flex gap-2">
          <input type="checkbox" checked={walking} onChange={(e) => setWalking(e.target.checked)} />
          {say`in walking order`}
        </label>
      )}
      <ol className="mt-2">
        {sets.map((set) => (
          <NightSet
            key={set.key}
            set={set}
            told={mine ? told : undefined}
            waiting={waitingOf(list, set.key)}
          />
        ))}
      </ol>
      {content.sets.length === 0 && (
        <p className="mt-2">{sayWith`Approve sets on the ${<Link className="underline" to="/plan">{say`Plan`}</Link>} page, and they stand here.`}</p>
      )}
      {content.done.length > 0 && (
        <section aria-label={say`Last night`} className="mt-5">
          <h2 className="text-[16px] font-bold">{say`Last night: ${content.last_night}`}</h2>
          <ol>
            {content.done.map((set) => (
              <NightSet
                key={set.key}
                set={set}
                told={mine ? told : undefined}
                waiting={waitingOf(list, set.key)}
              />
            ))}
          </ol>
        </section>
      )}
      <GoAndSee asOf={past ? content.as_of : undefined} now={now} mine={!past && may("set_visits")} />
      <p className="no-print mt-4 flex flex-wrap gap-3">
        <Button onClick={() => window.print()}>{say`Print`}</Button>
        {mine && content.controllers.some((c) => c.armed || c.open_valves.length > 0) && (
          <Button kind="act" onClick={() => void stop()}>{say`Stop all valves`}</Button>
        )}
      </p>
      {stopped && <p role="status">{stopped}</p>}
      <p className="secondary mt-2">{say`Before you touch a valve or a pump: look for people and machines in the field, and lock out what you work on.`}</p>
    </div>
  );
}

const waitingOf = (list: Waiting[], key: string) => list.some((w) => w.entry.planned === key && !w.refused);

function Queue({ list, send, drop }: { list: Waiting[]; send: () => void; drop: (key: string) => void }) {
  if (list.length === 0) return null;
  const held = list.filter((w) => !w.refused).length;
  return (
    <section aria-label={say`Saved on this phone`} className="sheet mt-2 p-2">
      {held > 0 && (
        <p className="flex items-baseline justify-between gap-3">
          <b>{say`${held === 1 ? say`One entry waits` : say`${held} entries wait`} on this phone for a signal.`}</b>
          <Button onClick={send}>{say`Send now`}</Button>
        </p>
      )}
      <RefusedLines list={list} drop={drop} />
    </section>
  );
}
