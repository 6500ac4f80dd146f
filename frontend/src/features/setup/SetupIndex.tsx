import { useState } from "react";
import { Link, Navigate } from "react-router";
import { useFarm } from "../../app/farm";
import { useMay } from "../../app/session";
import { show } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { GroundDialog, type GroundKind } from "./GroundDialog";

/** The blocks of the farm, each with the way into its set-up. */
export function SetupIndex() {
  const farm = useFarm();
  const may = useMay();
  const [bringing, setBringing] = useState<GroundKind>();
  const [said, setSaid] = useState("");
  if (!farm.set_up || farm.blocks.length === 0) return <Navigate to="/setup/new" replace />;
  return (
    <div className="max-w-4xl py-1">
      <div className="flex flex-wrap items-baseline justify-between gap-4">
        <h1>{say`Set-up of ${farm.name}`}</h1>
        <Link
          to="/setup/new"
          className="rounded-sheet bg-ink px-4 py-1.5 font-bold text-panel"
        >{say`Add a block`}</Link>
      </div>
      <ul className="mt-4">
        {farm.blocks.map((b) => (
          <li key={b.key} className="border-t border-rule">
            <Link
              to={`/setup/${b.key}`}
              className="grid gap-x-6 py-2.5 hover:bg-panel sm:grid-cols-[1fr_1fr_1fr_auto]"
            >
              <b>{b.name}</b>
              <span className="text-ink-2">{sayCode(b.crop)}</span>
              <span className="text-ink-2">{show(b.area_ha, "area", farm.units)}</span>
              <span className="underline">{say`land, soil, system, crop`}</span>
            </Link>
          </li>
        ))}
      </ul>
      <p className="mt-4">
        <Link
          to="/setup/water"
          className="underline"
        >{say`Water side: supplies, prices, turns, parts of blocks, people, valves`}</Link>{" "}
        · <Link to="/data" className="underline">{say`take the data with you`}</Link>
      </p>
      {may("blocks") && (
        <p className="mt-3 flex flex-wrap gap-3">
          <Button onClick={() => setBringing("soils")}>{say`Soils from a table`}</Button>
          <Button onClick={() => setBringing("blocks")}>{say`Blocks from GeoJSON`}</Button>
        </p>
      )}
      {said && <p role="status">{said}</p>}
      {bringing && (
        <GroundDialog
          kind={bringing}
          close={(words) => {
            setSaid(words);
            setBringing(undefined);
          }}
        />
      )}
      <p className="secondary mt-5">{sayWith`The whole farm as one file: ${<a className="underline" href="/api/farm/document?photos=true" download="farm.json">{say`farm.json`}</a>}. Applied to an empty Embalse (${<span className="figure">{say`embalse apply farm.json`}</span>}) it makes the same farm, readings apart.`}</p>
    </div>
  );
}
