import { useEffect, useSyncExternalStore } from "react";
import { api } from "../api/client";
import { useQueue } from "../features/tonight/useQueue";
import { keepForTheField, keptSince, onKept } from "../lib/fieldCopy";
import { say, sayWith } from "../lib/words";
import { Button } from "../ui/Button";
import { recordQueue } from "./recordQueue";

const PHONE = "(max-width: 639.98px)";
const FIRST_MS = 2500;
const MOST = 20;
const DATA = [
  "/api/round",
  "/api/tonight",
  "/api/handheld",
  "/api/audit",
  "/api/stations",
  "/api/procedures",
];

/** Keeps the pages of the field on a phone, and says how old what is shown is where there is no signal. */
export function NoSignal() {
  const since = useSyncExternalStore(onKept, keptSince);
  const { list, drop } = useQueue(recordQueue);
  useEffect(() => {
    if (!window.matchMedia?.(PHONE).matches) return;
    const later = window.setTimeout(() => void keepPages(), FIRST_MS);
    return () => window.clearTimeout(later);
  }, []);
  const refused = list.filter((w) => w.refused);
  const waits = list.length - refused.length;
  if (!since && list.length === 0) return null;
  return (
    <div role="status" className="mt-1 border-y border-ink bg-band px-2 py-1">
      {since && (
        <p>{sayWith`${<b>{say`No signal.`}</b>} This is as of ${new Date(since).toLocaleString([], SHORT)}.`}</p>
      )}
      {waits > 0 && (
        <p>{say`${waits === 1 ? say`One entry waits` : say`${waits} entries wait`} on this device for a signal.`}</p>
      )}
      {refused.map((w) => (
        <p key={w.entry.key} className="font-bold text-clay">
          {say`${w.entry.key.split(" ").pop()} was refused: ${w.refused}`}{" "}
          <Button onClick={() => drop(w.entry.key)}>{say`Drop it`}</Button>
        </p>
      ))}
    </div>
  );
}

const SHORT: Intl.DateTimeFormatOptions = {
  weekday: "short",
  day: "numeric",
  month: "short",
  hour: "2-digit",
  minute: "2-digit",
};

/** Loads the parts of the field's pages, so that they are kept with their data. */
async function keepPages() {
  await Promise.all([
    import("../features/tonight/TonightPage"),
    import("../features/handheld/HandheldPage"),
    import("../features/run/RunPage"),
    import("../features/growth/EnterPage"),
    import("../features/stations/StationsPage"),
    import("../features/round/VisitsPage"),
    import("../features/stations/StationPage"),
  ]);
  if (!(await keepForTheField(...DATA).catch(() => false))) return;
  const { data: stations } = await api.GET("/api/stations");
  const { data: farm } = await api.GET("/api/farm");
  const runs = (stations?.stations ?? []).flatMap((s) => (s.open_run ? [`/api/runs/${s.open_run}`] : []));
  const places = (stations?.stations ?? []).slice(0, MOST).map((s) => `/api/stations/${s.ref}`);
  const growth = (farm?.blocks ?? []).slice(0, MOST).map((b) => `/api/blocks/${b.key}/growth`);
  // each by itself: one address that fails must not leave the others unkept
  for (const path of [...runs.slice(0, MOST), ...growth, ...places])
    await keepForTheField(path).catch(() => false);
  document.documentElement.dataset.kept = "yes";
}
