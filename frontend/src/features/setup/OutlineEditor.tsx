import { useState } from "react";
import { useUnits } from "../../app/farm";
import { useStations } from "../../app/places";
import { FarmMap, type LonLat } from "../../charts/FarmMap";
import { show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { cornersFromText, ringFromGeoJson } from "./geojson";
import { useOutlineFacts } from "./queries";

interface EditorProps {
  blockKey: string;
  corners: LonLat[];
  change: (corners: LonLat[]) => void;
  enteredHa: number | null;
  takeArea: (ha: number) => void;
  refused: string | undefined;
}

/** A block's outline: drawn corner by corner, walked with the phone, typed, or brought in as GeoJSON. */
export function OutlineEditor({ blockKey, corners, change, enteredHa, takeArea, refused }: EditorProps) {
  const units = useUnits();
  const places = useStations();
  const [drawing, setDrawing] = useState(false);
  const [trouble, setTrouble] = useState("");
  const facts = useOutlineFacts({
    outline: corners,
    entered_ha: enteredHa && enteredHa > 0 ? enteredHa : null,
  });
  const others = (places.data?.outlines ?? []).filter((o) => o.block !== blockKey);
  const add = (at: LonLat) => change([...corners, [round(at[0]), round(at[1])]]);
  const here = () =>
    navigator.geolocation.getCurrentPosition(
      (p) => add([p.coords.longitude, p.coords.latitude]),
      (e) => setTrouble(say`No position: ${e.message}`),
      { enableHighAccuracy: true },
    );
  const bring = async (file: File | undefined) => {
    if (!file) return;
    try {
      change(ringFromGeoJson(await file.text()));
      setTrouble("");
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <div>
      <h2 className="text-[17px] font-bold">{say`Outline`}</h2>
      {corners.length + others.length > 0 && (
        <FarmMap
          label={say`Map of the block`}
          className="mt-2 h-96"
          outlines={[
            ...others.map((o) => ({ key: o.block, name: o.name, corners: o.corners as unknown as LonLat[] })),
            ...(!drawing && corners.length > 2 ? [{ key: blockKey, name: "", corners, active: true }] : []),
          ]}
          drawing={drawing || corners.length < 3 ? corners : []}
          {...(drawing ? { onPlace: add } : {})}
        />
      )}
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <Button onClick={() => setDrawing(!drawing)}>
          {drawing ? say`Done drawing` : say`Draw corners`}
        </Button>
        <Button onClick={here}>{say`Add a corner where I stand`}</Button>
        <label className="cursor-pointer rounded-sheet border border-ink px-4 py-1.5 focus-within:outline-2">
          {say`GeoJSON file`}
          <input
            type="file"
            accept=".json,.geojson,application/geo+json"
            className="sr-only"
            onChange={(e) => void bring(e.target.files?.[0])}
          />
        </label>
        {corners.length > 0 && (
          <>
            <Button
              kind="quiet"
              onClick={() => change(corners.slice(0, -1))}
            >{say`delete the last corner`}</Button>
            <Button kind="quiet" onClick={() => change([])}>{say`start over`}</Button>
          </>
        )}
      </div>
      {corners.length + others.length === 0 && <TypedCorners change={change} />}
      <p className="mt-2" role="status">
        {facts.data && corners.length > 2 && (
          <>
            {sayWith`The outline encloses ${<b>{show(facts.data.area_ha, "area", units)}</b>} on the ellipsoid.`}{" "}
            {facts.data.caution && <>{say`Check: ${facts.data.caution}.`} </>}
            <button
              type="button"
              className="underline"
              onClick={() => takeArea(facts.data.area_ha)}
            >{say`use it as the area`}</button>
          </>
        )}
      </p>
      {(trouble || refused || (facts.isError && corners.length > 2)) && (
        <p role="alert" className="font-bold text-clay">
          {trouble || refused || facts.error?.message}
        </p>
      )}
    </div>
  );
}

function TypedCorners({ change }: { change: (corners: LonLat[]) => void }) {
  return (
    <label className="mt-3 block">
      <span className="text-[13px] font-bold">{say`or type corners, one a line: longitude latitude`}</span>
      <textarea
        className="figure mt-1 block h-28 w-full rounded-sheet border border-rule bg-panel p-2"
        placeholder={"-15.2001 38.4001\n-15.1950 38.4001"}
        onBlur={(e) => change(cornersFromText(e.target.value))}
      />
    </label>
  );
}

const round = (degrees: number) => Math.round(degrees * 1e7) / 1e7;
