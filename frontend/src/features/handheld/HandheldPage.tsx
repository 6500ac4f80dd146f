import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { api, type Schemas, unwrap } from "../../api/client";
import { sendWhenever } from "../../app/waitingQueue";
import { keepForTheField } from "../../lib/fieldCopy";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { forget, sendAll, type Told, type Waiting, waiting } from "./queue";
import { StationEntry } from "./StationEntry";

type Route = Schemas["HandRoute"];

/** The round by hand, on the phone: station by station in walking order, kept on the phone until there is a signal. */
export function HandheldPage() {
  const route = useQuery({
    queryKey: ["handheld"],
    queryFn: async () => unwrap(await api.GET("/api/handheld")),
  });
  const { list, told, send, drop } = useQueue();
  const [at, setAt] = useState(0);
  const [done, setDone] = useState<string[]>([]);
  const [kept, setKept] = useState(false);
  useEffect(() => {
    keepForTheField("/handheld", "/api/handheld").then(setKept, () => setKept(false));
  }, []);
  if (route.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (route.isError) return <p className="py-6">{route.error.message}</p>;
  const { stations } = route.data;
  const station = stations[at];
  const next = () => {
    if (station) setDone([...done, station.ref]);
    setAt((now) => Math.min(now + 1, stations.length - 1));
    void send();
  };
  return (
    <div className="max-w-xl py-1">
      <h1>{sentence(route.data)}</h1>
      {!route.data.asked_for && stations.length > 0 && (
        <p className="secondary">{say`No station has rounds by hand yet, so all are listed. Say how often on a station's own page.`}</p>
      )}
      <p className="secondary">
        {kept
          ? say`This page opens without a signal too.`
          : say`Keep this page open where there is no signal.`}
      </p>
      <Queue list={list} told={told} send={() => void send()} drop={drop} />
      {station && (
        <>
          <p className="mt-3 flex items-baseline justify-between gap-3">
            <b className="text-[20px]">{say`${at + 1} of ${stations.length}: ${station.name}`}</b>
            {done.includes(station.ref) && <span>{say`read`}</span>}
          </p>
          <p className="secondary">{due(station)}</p>
          {station.water && <p className="font-bold">{station.water}.</p>}
          <StationEntry key={station.ref} station={station} stored={next} />
          <p className="mt-4 flex max-w-sm justify-between">
            <Button disabled={at === 0} onClick={() => setAt(at - 1)}>{say`Station before`}</Button>
            <Button
              disabled={at === stations.length - 1}
              onClick={() => setAt(at + 1)}
            >{say`Next station`}</Button>
          </p>
        </>
      )}
    </div>
  );
}

function useQueue() {
  const client = useQueryClient();
  const [list, setList] = useState(waiting);
  const [told, setTold] = useState<Told[]>([]);
  const send = useCallback(async () => {
    setList(waiting());
    const before = waiting().length;
    const found = await sendAll();
    setTold((earlier) => [...earlier, ...found]);
    setList(waiting());
    if (waiting().length < before) await client.invalidateQueries();
  }, [client]);
  useEffect(() => {
    const sendAgain = () => void send();
    sendAgain();
    return sendWhenever(sendAgain, () => waiting().some((one) => !one.refused));
  }, [send]);
  const drop = (key: string) => {
    forget(key);
    setList(waiting());
  };
  return { list, told, send, drop };
}

interface QueueProps {
  list: Waiting[];
  told: Told[];
  send: () => void;
  drop: (key: string) => void;
}

function Queue({ list, told, send, drop }: QueueProps) {
  if (list.length === 0 && told.length === 0) return null;
  return (
    <section aria-label={say`Saved on this phone`} className="sheet mt-2 p-2">
      {list.length > 0 && (
        <p className="flex items-baseline justify-between gap-3">
          <b>{say`${list.length === 1 ? say`One station waits` : say`${list.length} stations wait`} on this phone for a signal.`}</b>
          <Button onClick={send}>{say`Send now`}</Button>
        </p>
      )}
      <ul>
        {list
          .filter((w) => w.refused)
          .map((w) => (
            <li key={w.entry.key}>
              {w.entry.station}: {w.refused}{" "}
              <button
                type="button"
                className="underline"
                onClick={() => drop(w.entry.key)}
              >{say`delete it`}</button>
            </li>
          ))}
        {told.map((one) => (
          <li key={`${one.station} ${one.words}`}>
            <b>{one.station}</b>: {one.words}
          </li>
        ))}
      </ul>
    </section>
  );
}

function sentence({ stations }: Route): string {
  if (stations.length === 0) return say`No station to read by hand.`;
  const late = stations.filter((s) => s.days_overdue > 0).length;
  const count = stations.length === 1 ? say`One station` : say`${stations.length} stations`;
  if (late === 0) return say`${count} to read by hand.`;
  return say`${count} to read by hand, ${late === 1 ? say`one` : late} overdue.`;
}

function due(station: Schemas["HandStation"]): string {
  const since =
    station.days_since === null
      ? say`not read yet`
      : say`last read ${station.days_since.toFixed(1)} days ago`;
  return station.read_every_days === null ? since : say`every ${station.read_every_days} days, ${since}`;
}
