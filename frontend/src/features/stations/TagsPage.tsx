import { useState } from "react";
import { useParams } from "react-router";
import { useFarm, useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { dayMonth, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Wide } from "../../ui/Wide";
import { Hole, markWords } from "./Hole";
import { useStation } from "./queries";
import { SchemeDialog } from "./SchemeDialog";

/** Depth tags to be cut out and a site sheet for the logger box, on paper. */
export function TagsPage() {
  const { block = "", station = "" } = useParams();
  const farm = useFarm();
  const units = useUnits();
  const sheet = useStation(block, station);
  const may = useMay();
  const [marking, setMarking] = useState(false);
  if (!sheet.data) return <p className="secondary py-6">{sheet.error?.message ?? say`Opening …`}</p>;
  const { line, sensors } = sheet.data;
  return (
    <div className="max-w-4xl py-1">
      <p className="no-print mb-3 flex gap-3">
        <Button kind="ink" onClick={() => window.print()}>{say`Print`}</Button>
        {may("depth_schemes") && (
          <Button onClick={() => setMarking(true)}>{say`How depths are marked`}</Button>
        )}
      </p>
      {marking && <SchemeDialog scheme={sheet.data.scheme} close={() => setMarking(false)} />}
      <h1>
        {farm.name}: {line.block_name}, {line.name}
      </h1>
      <dl className="mt-2 grid grid-cols-[10rem_1fr] gap-y-1">
        <dt>{say`Place`}</dt>
        <dd className="figure">
          {line.latitude === null
            ? "____________"
            : `${line.latitude?.toFixed(6)}, ${line.longitude?.toFixed(6)}`}
        </dd>
        <dt>{say`Installed`}</dt>
        <dd>{sheet.data.installed ? dayMonth(wall(sheet.data.installed)) : "____________"}</dd>
        <dt>{say`Crop`}</dt>
        <dd>{sayCode(sheet.data.block_crop)}</dd>
        <dt>{say`Sensors`}</dt>
        <dd>{line.types.map(sayCode).join(", ")}</dd>
      </dl>
      <Wide label={say`Sensors by depth`}>
        <table className="mt-3 w-full text-left">
          <thead>
            <tr>
              {[
                say`mark`,
                say`depth`,
                say`device`,
                say`channel`,
                say`tag`,
                say`read before`,
                say`read after`,
              ].map((h) => (
                <th
                  key={h}
                  className={`border-b border-ink font-normal ${h === "device" ? "max-sm:hidden print:table-cell" : ""}`}
                >
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sensors.map((s) => (
              <tr key={s.ref} className="border-b border-rule">
                <td className="font-bold">{markWords(s.mark)}</td>
                <td className="py-2 font-bold">{show(s.depth_cm, "soilDepth", units)}</td>
                <td className="max-sm:hidden print:table-cell">{s.device ?? ""}</td>
                <td className="figure max-sm:text-[12px]">{s.channel}</td>
                <td className="figure max-sm:text-[12px]">{s.ref}</td>
                <td />
                <td />
              </tr>
            ))}
          </tbody>
        </table>
      </Wide>
      <p className="mt-2">
        {sheet.data.scheme === "counted up"
          ? say`On this farm 1 is the deepest.`
          : sheet.data.scheme === "own"
            ? say`Marked by the farm's own scheme.`
            : say`On this farm 1 is the shallowest.`}
      </p>
      <Hole sheet={sheet.data} />
      <h2 className="mt-6 text-[17px] font-bold">{say`Tags: two of each, one for either end of the wire`}</h2>
      <ul className="mt-2 grid grid-cols-2 gap-2 sm:grid-cols-4">
        {sensors.flatMap((s) =>
          [say`sensor end`, say`logger end`].map((end) => (
            <li key={`${s.ref} ${end}`} className="border border-dashed border-ink p-2">
              <p className="text-[22px] font-bold">{show(s.depth_cm, "soilDepth", units)}</p>
              <p className="font-bold">{markWords(s.mark)}</p>
              <p className="figure text-[12px]">{s.ref}</p>
              <p className="figure text-[12px]">{s.channel || "channel ______"}</p>
              <p className="secondary">{end}</p>
            </li>
          )),
        )}
      </ul>
    </div>
  );
}
