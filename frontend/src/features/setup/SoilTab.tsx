import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { SoilCurve } from "../../charts/SoilCurve";
import { percent } from "../../lib/numbers";
import { show, type UnitSystem } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { RefusalNote } from "../../ui/entries";
import { HorizonEntries, type HorizonTyped, horizonPart, typedHorizon } from "./HorizonEntries";
import { useLibrary, useSoilCurves } from "./queries";
import { SaveLine, type TabProps, useSaving } from "./saving";

export function SoilTab({ document }: TabProps) {
  const units = useUnits();
  const soil = document.soils[0];
  const [rows, setRows] = useState<HorizonTyped[]>(() =>
    (soil?.horizons ?? []).map((h) => typedHorizon(h, units)),
  );
  const saving = useSaving(["horizons"]);
  const parts = partsOf(rows, soil?.horizons ?? [], units);
  const curves = useSoilCurves({ horizons: parts });
  if (!soil) return null;
  const add = () =>
    setRows((before) => [...before, { ...(before[before.length - 1] as HorizonTyped), bottom: "" }]);
  return (
    <form
      className="grid gap-6 lg:grid-cols-[minmax(0,1.15fr)_minmax(0,1fr)]"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void saving.save({ soils: [{ key: soil.key, name: soil.name ?? null, horizons: parts }] });
      }}
    >
      <div>
        <p className="secondary">{say`${soil.name ?? soil.key}. Every block that uses this soil changes with it. Marks set by hand stay.`}</p>
        {rows.map((row, i) => (
          <HorizonEntries
            // biome-ignore lint/suspicious/noArrayIndexKey: horizons are known by their order
            key={i}
            row={row}
            index={i}
            units={units}
            change={(part) => setRows((before) => before.map((r, n) => (n === i ? { ...r, ...part } : r)))}
          />
        ))}
        <p className="mt-2 flex gap-4">
          <Button kind="quiet" onClick={add}>{say`add a layer below`}</Button>
          {rows.length > 1 && (
            <Button
              kind="quiet"
              onClick={() => setRows((before) => before.slice(0, -1))}
            >{say`delete the last`}</Button>
          )}
        </p>
        <RefusalNote refused={saving.refused} />
        <SaveLine stored={saving.stored} pending={saving.pending} label={say`Save soil`} />
        <Feel />
      </div>
      <div>
        <h2 className="text-[17px] font-bold">{say`What follows`}</h2>
        {curves.isError && <p className="font-bold text-clay">{curves.error.message}</p>}
        {curves.data && <Follows curves={curves.data} units={units} />}
      </div>
    </form>
  );
}

function partsOf(rows: HorizonTyped[], stored: Schemas["HorizonPart"][], units: UnitSystem) {
  let top = 0;
  return rows.map((row, i) => {
    const part = horizonPart(row, top, stored[i], units);
    top = part.bottom_cm;
    return part;
  });
}

function Follows({ curves, units }: { curves: Schemas["SoilCurves"]; units: UnitSystem }) {
  return (
    <>
      <SoilCurve horizons={curves.horizons} units={units} />
      <p className="secondary">{say`● full point ○ wilting point`}</p>
      <table className="mt-2 w-full text-left">
        <thead className="secondary">
          <tr>
            {[say`depth`, say`class`, say`full`, say`wilting`, say`available`, "Ks"].map((h) => (
              <th key={h} className="font-normal">
                {h || <span className="sr-only">{say`to do`}</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {curves.horizons.map((h) => (
            <tr key={h.top_cm} className="border-t border-rule">
              <td>{say`${show(h.top_cm, "soilDepth", units, false)} to ${show(h.bottom_cm, "soilDepth", units)}`}</td>
              <td>{sayCode(h.texture)}</td>
              <td>{percent(h.theta_full)}</td>
              <td>{percent(h.theta_wilting)}</td>
              <td>{show(h.available_mm, "depth", units)}</td>
              <td>{show(h.ks_mm_h, "rate", units)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {curves.root_limit_cm !== null && (
        <p className="mt-2">{say`Roots stop at ${show(curves.root_limit_cm, "soilDepth", units)}.`}</p>
      )}
      {curves.horizons
        .flatMap((h) => h.cautions)
        .map((c) => (
          <p key={c}>
            <b>{say`Check:`}</b> {c}
          </p>
        ))}
      <p className="secondary mt-2">{say`Saxton & Rawls (2006); stones taken out by volume.`}</p>
    </>
  );
}

function Feel() {
  const library = useLibrary();
  return (
    <details className="mt-5">
      <summary className="cursor-pointer underline">{say`Texture by feel`}</summary>
      <p className="secondary mt-1">{say`Moisten a handful, knead it, press a ribbon between thumb and finger. Common practice, no source.`}</p>
      <ul className="mt-1">
        {library.data?.feel.map((f) => (
          <li
            key={f.texture}
          >{sayWith`${<b>{sayCode(f.texture)}</b>}: ${f.feel}; ribbon ${f.ribbon === "none" ? say`none` : say`${f.ribbon} cm`}`}</li>
        ))}
      </ul>
    </details>
  );
}
