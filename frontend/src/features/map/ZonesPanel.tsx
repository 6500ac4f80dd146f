import { useState } from "react";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { dated } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Wide } from "../../ui/Wide";
import { type Drafting, draftOf } from "./drafting";
import { type BlockMap, useKeepZones, useZones, type Zones } from "./queries";
import { ZoneDraft } from "./ZoneDraft";

interface ZonesPanelProps {
  map: BlockMap;
  asOf: string | undefined;
  drafting: Drafting;
}

/** Zones that were kept or lie apart for good: what each lacks, what to give, and what that saves; or why not. */
export function ZonesPanel({ map, asOf, drafting }: ZonesPanelProps) {
  const found = useZones(map.key, asOf);
  const may = useMay();
  if (found.isPending) return <p className="secondary">{say`Parting the block …`}</p>;
  if (found.isError) return <p>{found.error.message}</p>;
  const zones = found.data;
  return (
    <section aria-label={say`Zones`} className="mt-4 max-w-[760px]">
      <h2 className="text-[17px] font-bold">{say`What to give where`}</h2>
      {zones.why_not ? <p>{zones.why_not}.</p> : <Told zones={zones} asOf={asOf} />}
      {drafting.zones ? (
        <ZoneDraft map={map} zones={zones} drafting={drafting} />
      ) : (
        asOf === undefined && may("block_zones") && <Doors map={map} zones={zones} drafting={drafting} />
      )}
    </section>
  );
}

function Told({ zones, asOf }: { zones: Zones; asOf: string | undefined }) {
  const units = useUnits();
  const query = asOf ? `?as_of=${encodeURIComponent(asOf)}` : "";
  const heads = [say`zone`, say`area`, say`lies`, say`lacks`, say`fills it, gross`];
  return (
    <>
      <Wide label={say`Table of the zones`}>
        <table className="mt-1 w-full text-left">
          <thead className="secondary">
            <tr>
              {[...heads, ...(zones.kept ? [say`next set, gross`] : [])].map((h) => (
                <th key={h} className="pr-3 font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {zones.zones.map((z) => (
              <ZoneRow key={z.number} zone={z} kept={zones.kept} units={units} />
            ))}
          </tbody>
        </table>
      </Wide>
      {zones.words && <p className="mt-1">{zones.words}.</p>}
      {zones.sectors.length > 0 && (
        <p className="mt-1">{say`The pivot by the clock from north: ${zones.sectors
          .map((s) => `${s.from_deg}° ${s.speed === null ? "–" : `${Math.round(100 * s.speed)} %`}`)
          .join(", ")}.`}</p>
      )}
      <p className="no-print mt-1 flex gap-4">
        <a
          className="underline"
          href={`/api/blocks/${zones.key}/zones.geojson${query}`}
        >{say`Amounts as GeoJSON`}</a>
        <a className="underline" href={`/api/blocks/${zones.key}/zones.csv${query}`}>{say`as CSV`}</a>
      </p>
    </>
  );
}

function ZoneRow({ zone, kept, units }: { zone: Zones["zones"][number]; kept: boolean; units: UnitSystem }) {
  const lies = zone.difference_mm;
  return (
    <tr className="border-t border-rule align-top">
      <th scope="row" className="py-1 pr-3">
        {zone.name}
        {(zone.shift || zone.by) && (
          <span className="secondary block font-normal">
            {[zone.shift && say`part: ${zone.shift}`, zone.by].filter(Boolean).join("; ")}
          </span>
        )}
      </th>
      <td className="figure py-1 pr-3">{show(zone.area_ha, "area", units)}</td>
      <td className="py-1 pr-3">
        {lies === null
          ? "–"
          : `${show(Math.abs(lies), "depth", units)} ${lies < 0 ? say`drier` : say`wetter`}`}
      </td>
      {zone.lacks_mm === null || zone.error_mm === null ? (
        <td colSpan={2} className="py-1">{say`no advice because ${zone.why_not}`}</td>
      ) : (
        <>
          <td className="figure py-1 pr-3">
            {show(zone.lacks_mm, "depth", units, false)} ± {show(zone.error_mm, "depth", units)}
          </td>
          <td className="figure py-1 pr-3 font-bold">{show(zone.gross_mm ?? 0, "depth", units)}</td>
        </>
      )}
      {kept && (
        <td className="figure py-1 pr-3">
          {zone.set_gross_mm === null
            ? zone.why_not || "–"
            : `${show(zone.set_gross_mm, "depth", units)}${zone.due_at ? `, ${dated(zone.due_at)}` : ""}`}
        </td>
      )}
    </tr>
  );
}

function Doors({ map, zones, drafting }: { map: BlockMap; zones: Zones; drafting: Drafting }) {
  const keep = useKeepZones(map.key);
  const [open, setOpen] = useState(false);
  const keepDerived = async () => {
    const text = await (await fetch(`/api/blocks/${map.key}/zones.geojson`)).text();
    await keep.mutateAsync({ kind: "block_zones", text });
  };
  const none = JSON.stringify({ type: "FeatureCollection", features: [] });
  return (
    <p className="no-print mt-2 flex flex-wrap gap-3">
      {!zones.kept && zones.zones.length > 1 && (
        <Button kind="ink" onClick={() => void keepDerived()}>{say`Keep these zones`}</Button>
      )}
      <Button onClick={() => drafting.begin(draftOf(map, zones))}>
        {zones.kept ? say`Change the zones` : say`Draw zones`}
      </Button>
      <Button onClick={() => setOpen(true)}>{say`Zones or soils from a file`}</Button>
      {zones.kept && (
        <Button
          onClick={() => void keep.mutateAsync({ kind: "block_zones", text: none })}
        >{say`One amount for all again`}</Button>
      )}
      {open && <FileDialog blockKey={map.key} close={() => setOpen(false)} />}
    </p>
  );
}

function FileDialog({ blockKey, close }: { blockKey: string; close: () => void }) {
  const keep = useKeepZones(blockKey);
  const store = (form: FormData) =>
    keep.mutateAsync({
      kind: textIn(form, "kind") === "soil_zones" ? "soil_zones" : "block_zones",
      text: textIn(form, "text"),
    });
  return (
    <FormDialog
      title={say`Zones or soils from a file`}
      open
      close={close}
      store={store}
      label={say`Keep them`}
    >
      {() => (
        <>
          <fieldset className="flex flex-wrap gap-x-5">
            <legend className="text-[13px] font-bold">{say`What the file holds`}</legend>
            <label>
              <input type="radio" name="kind" value="block_zones" defaultChecked /> {say`zones, with a name`}
            </label>
            <label>
              <input type="radio" name="kind" value="soil_zones" /> {say`soils, with the soil's name`}
            </label>
          </fieldset>
          <label>
            <span className="block text-[13px] font-bold">{say`GeoJSON of polygons`}</span>
            <textarea
              name="text"
              rows={8}
              className="figure w-full rounded-sheet border border-rule bg-panel px-2 py-1.5"
            />
            <span className="secondary">{say`A zone may say in shift which part of the block waters it; a soil says in soil which of the farm's soils it is. A feature without a shape is the rest of the block.`}</span>
          </label>
        </>
      )}
    </FormDialog>
  );
}
