import { useState } from "react";
import { Link, useParams } from "react-router";
import { useAsOf, useKeepAsOf, useUnits } from "../../app/farm";
import { dated } from "../../lib/dates";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import { BlockPlaces } from "../../ui/BlockPlaces";
import { Choice } from "../../ui/Field";
import { spanOf, valuesOn } from "./cells";
import { useDrafting } from "./drafting";
import { figureFor, Scale, unitOf, WHAT } from "./figures";
import { Likeness } from "./Likeness";
import { MapDrawing } from "./MapDrawing";
import { NodesPanel } from "./NodesPanel";
import { type BlockMap, useBlockMap, type What } from "./queries";
import { Ring } from "./ZoneDraft";
import { ZonesPanel } from "./ZonesPanel";

/** A block between its stations: the map with its doubt, or why there is none; what lasts, and where a node would help. */
export function MapPage() {
  const { key = "" } = useParams();
  const [asOf] = useAsOf();
  const keep = useKeepAsOf();
  const [what, setWhat] = useState<What>("depletion");
  const found = useBlockMap(key, asOf, what);
  if (found.isPending) return <p className="secondary py-6">{say`Drawing the map …`}</p>;
  if (found.isError) return <p className="py-6">{found.error.message}</p>;
  return (
    <div className="py-1">
      <h1>{titleOf(found.data)}</h1>
      <BlockPlaces to={keep} blockKey={key} />
      <Shown map={found.data} asOf={asOf} what={what} setWhat={setWhat} />
    </div>
  );
}

function titleOf(map: BlockMap): string {
  if (!map.ground) return say`${map.name}: no map`;
  const lasting = map.nodes.filter((n) => n.lasting).length;
  if (lasting === 0) return say`${map.name}: no place is always dry or always wet`;
  return say`${map.name}: ${lasting === 1 ? say`one place is` : say`${lasting} places are`} always dry or always wet`;
}

interface ShownProps {
  map: BlockMap;
  asOf: string | undefined;
  what: What;
  setWhat: (what: What) => void;
}

function Shown({ map, asOf, what, setWhat }: ShownProps) {
  const units = useUnits();
  const [day, setDay] = useState<number>();
  const chosen = day !== undefined && day < map.days.length ? day : undefined;
  const values = valuesOn(map, chosen);
  const span = spanOf(map);
  const figure = figureFor(map.what, units);
  const drafting = useDrafting();
  const keep = useKeepAsOf();
  const query = `?what=${what}${asOf ? `&as_of=${encodeURIComponent(asOf)}` : ""}`;
  return (
    <div className="grid gap-x-7 gap-y-5 min-[1100px]:grid-cols-[minmax(0,1fr)_330px]">
      <div className="min-w-0">
        <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
          <Choice label={say`What`} value={what} options={WHAT} change={(v) => setWhat(v as What)} />
          <p className="pb-1">{map.ground ? `${map.headline}.` : ""}</p>
        </div>
        {map.why_not && <p className="mt-3 font-bold">{say`No map: ${map.why_not}.`}</p>}
        {map.nodes.length > 0 && (
          <>
            {drafting.corners && <Ring drafting={drafting} />}
            <MapDrawing map={map} values={values} span={span} figure={figure} drafting={drafting} />
            <Scale
              what={map.what}
              span={span}
              figure={figure}
              unit={unitOf(map.what, units)}
            >{say`paper shows through where the map is unsure; blank where it knows nothing`}</Scale>
            {map.soil_words && <p className="mt-1">{map.soil_words}.</p>}
          </>
        )}
        {map.days.length > 1 && (
          <label className="no-print mt-2 block max-w-[760px]">
            <span className="font-bold">
              {chosen === undefined ? say`Now` : say`Dawn of ${dated(map.days[chosen]?.day ?? "")}`}
            </span>
            <input
              type="range"
              className="block w-full accent-deep"
              min={0}
              max={map.days.length}
              value={chosen ?? map.days.length}
              aria-label={say`Day of the season`}
              onChange={(e) => {
                const next = Number(e.target.value);
                setDay(next === map.days.length ? undefined : next);
              }}
            />
          </label>
        )}
        {map.ground && (
          <p className="no-print mt-1 flex gap-4">
            <a className="underline" href={`/api/blocks/${map.key}/map.geojson${query}`}>{say`GeoJSON`}</a>
            <a className="underline" href={`/api/blocks/${map.key}/map.csv${query}`}>{say`Cells as CSV`}</a>
            <Link className="underline" to={keep("/map")}>{say`The whole farm`}</Link>
          </p>
        )}
        {map.outline.length > 2 && <ZonesPanel map={map} asOf={asOf} drafting={drafting} />}
        <NodesPanel blockKey={map.key} asOf={asOf} />
      </div>
      <Aside map={map} />
    </div>
  );
}

function Aside({ map }: { map: BlockMap }) {
  const units = useUnits();
  return (
    <aside className="grid gap-5 self-start">
      <section className="sheet p-4" aria-label={say`What lasts`}>
        <h2 className="text-[17px] font-bold">{say`What lasts`}</h2>
        {map.why_no_stands && <p>{say`Not told: ${map.why_no_stands}.`}</p>}
        <ul>
          {map.stands.map((words) => (
            <li key={words} className="border-t border-rule py-1.5">
              {words}.
            </li>
          ))}
        </ul>
      </section>
      {map.next_node && (
        <section aria-label={say`Where a node would help`}>
          <h2 className="text-[17px] font-bold">{say`Where a node would help`}</h2>
          <p>{map.next_node.words}.</p>
          <p className="secondary figure">
            {map.next_node.latitude.toFixed(5)}, {map.next_node.longitude.toFixed(5)}
          </p>
        </section>
      )}
      {map.ground && (
        <section aria-label={say`How alike neighbours are`}>
          <h2 className="text-[17px] font-bold">{say`How alike neighbours are`}</h2>
          <p>{say`Nodes tell of each other within ${show(map.ground.range_m, "length", units)}. As much likeness by accident: ${(100 * map.ground.chance).toFixed(1)} %.`}</p>
          <Likeness ground={map.ground} units={units} />
        </section>
      )}
    </aside>
  );
}
