import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { FarmMap, type LonLat, type MapPoint } from "../../charts/FarmMap";
import { dayMonth, wall } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say, sayCode, sayCount, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { useRound } from "../round/queries";
import { Gateways } from "./Gateways";
import { NewStationDialog } from "./NewStationDialog";
import { useStations } from "./queries";

type Line = Schemas["StationLine"];

const LOOKS: Record<string, MapPoint["look"]> = { "in use": "full", removed: "gone" };

/** Where everything is, and how each station stands. */
export function StationsPage() {
  const stations = useStations();
  const units = useUnits();
  const navigate = useNavigate();
  const first = useFarm().blocks[0]?.key ?? "";
  const [making, setMaking] = useState(false);
  const round = useRound(undefined); // slower than the list, so the way round is drawn when it comes
  if (stations.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (stations.isError) return <p className="py-6">{stations.error.message}</p>;
  const { data } = stations;
  const nth = new Map(
    (round.data?.to_see ?? []).flatMap((v) => (v.walk ? [[v.station, v.walk] as const] : [])),
  );
  const points: MapPoint[] = data.stations
    .filter((s) => s.longitude !== null && s.latitude !== null)
    .map((s) => ({
      key: s.ref,
      name: s.state === "in use" ? s.name : say`${s.name}, ${s.state}`,
      at: [s.longitude, s.latitude] as LonLat,
      look: LOOKS[s.state] ?? ("ring" as const),
      nth: nth.get(s.ref),
    }));
  const way = points
    .filter((p) => p.nth)
    .sort((a, b) => (a.nth ?? 0) - (b.nth ?? 0))
    .map((p) => p.at);
  return (
    <div className="grid gap-6 py-1 min-[1100px]:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
      <div>
        <div className="flex flex-wrap items-baseline justify-between gap-3">
          <h1>{sentence(data.stations)}</h1>
          <Button kind="ink" onClick={() => setMaking(true)}>{say`New station`}</Button>
        </div>
        <p className="flex flex-wrap gap-x-5">
          <Link className="underline" to={`/stations/plan/${first}`}>{say`what to measure`}</Link>
          <Link className="underline" to={`/stations/siting/${first}`}>{say`where to put it`}</Link>
          <Link className="underline" to="/bench">{say`sensors in stock`}</Link>
          <Link className="underline" to="/handheld">{say`read by hand`}</Link>
          <Link className="underline" to="/map">{say`the water from above`}</Link>
        </p>
        {data.stations.length === 0 && <Teach />}
        <ul className="mt-3">
          {data.stations.map((s) => (
            <StationRow key={s.ref} line={s} units={units} />
          ))}
        </ul>
        {data.blocks_without.length > 0 && (
          <p className="mt-3">
            {say`Without a station:`}{" "}
            {data.blocks_without.map((b, i) => (
              <span key={b}>
                {i > 0 && ", "}
                <Link className="underline" to={`/stations/plan/${b}`}>
                  {b}
                </Link>
              </span>
            ))}
            {say`. Begin with what to measure.`}
          </p>
        )}
      </div>
      <div>
        <FarmMap
          label={say`Where everything is`}
          className="h-[34rem]"
          outlines={data.outlines.map((o) => ({
            key: o.block,
            name: o.name,
            corners: o.corners as unknown as LonLat[],
          }))}
          points={points}
          way={way}
          onPick={(ref) => navigate(`/stations/${ref}`)}
        />
        {way.length > 0 && (
          <p className="mt-1">{sayWith`${<b>{say`Today's way round:`}</b>} ${sayCount(way.length, "{n} station", "{n} stations")} to visit, ${show(round.data?.walk_m ?? 0, "length", units)} as the crow flies, from the most urgent on. ${<Link className="underline" to="/visits">{say`why`}</Link>}`}</p>
        )}
        <p className="secondary mt-1">{say`full disc: in use · ring: not yet · small broken ring: removed. Outlines are drawn on the set-up page.`}</p>
      </div>
      <Gateways />
      <NewStationDialog open={making} close={() => setMaking(false)} />
    </div>
  );
}

function sentence(lines: Line[]): string {
  const count = (state: string) => lines.filter((s) => s.state === state).length;
  const parts = count("in use") ? [say`${count("in use")} in use`] : [];
  if (count("settling")) parts.push(say`${count("settling")} settling`);
  if (count("installing")) parts.push(say`${count("installing")} being installed`);
  if (count("planned")) parts.push(say`${count("planned")} planned`);
  if (count("removed")) parts.push(say`${count("removed")} removed`);
  return lines.length ? say`Stations: ${parts.join(", ")}` : say`No station yet`;
}

function Teach() {
  return (
    <p className="mt-3 max-w-xl">{say`Decide what to measure, choose a spot that stands for the block, test the sensors on the bench, then put them in step by step. Each of these has its page; a new station begins here.`}</p>
  );
}

function StationRow({ line, units }: { line: Line; units: UnitSystem }) {
  const depths = line.depths_cm.map((d) => show(d, "soilDepth", units, false)).join(" ");
  return (
    <li className="border-t border-rule">
      <Link
        to={`/stations/${line.ref}`}
        className="grid gap-x-4 py-2 hover:bg-panel sm:grid-cols-[1.1fr_1fr_1fr]"
      >
        <span>
          <b>
            {line.block_name}, {line.name}
          </b>
          <br />
          <span className="secondary">{line.types.map(sayCode).join(", ")}</span>
        </span>
        <span>
          <b>{sayCode(line.state)}</b>
          <br />
          <span className="secondary">
            {line.last_reading_at
              ? say`last reading ${dayMonth(wall(line.last_reading_at))}`
              : say`no reading yet`}
          </span>
        </span>
        <span className="secondary">
          {depths} {units === "us" ? "in" : "cm"}
          {line.state === "planned" && (
            <>
              <br />
              {line.window}
            </>
          )}
        </span>
      </Link>
    </li>
  );
}
