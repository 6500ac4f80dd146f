import { useState } from "react";
import { useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useAsOf, useFarm, useKeepAsOf, useUnits } from "../../app/farm";
import { errorsOf, momentOf, newKey, useApply, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { RetentionPlot } from "../../charts/RetentionPlot";
import { quantity, show } from "../../lib/units";
import { say } from "../../lib/words";
import { BlockPlaces } from "../../ui/BlockPlaces";
import { Button } from "../../ui/Button";
import { Wide } from "../../ui/Wide";
import { useTension } from "./queries";
import { TensionSchool } from "./TensionSchool";

type Horizon = Schemas["HorizonCurves"];
type Tension = Schemas["TensionContent"];

const NAMES: Record<string, string> = {
  equation: say`texture equation`,
  class: say`class average`,
  points: say`laboratory points`,
  pairs: say`sensors side by side`,
};
const DASHES: Record<string, string> = {
  equation: say`solid`,
  class: say`dotted`,
  points: say`long dashes`,
  pairs: say`dash and dot`,
};

/** Tension and water together: the curves of each horizon, and the table to hang in the shed. */
export function TensionPage() {
  const { key = "" } = useParams();
  const units = useUnits();
  const [asOf] = useAsOf();
  const keep = useKeepAsOf();
  const tension = useTension(key, asOf);
  if (tension.isPending) return <p className="secondary py-6">{say`Drawing the curves …`}</p>;
  if (tension.isError) return <p className="py-6">{tension.error.message}</p>;
  const data = tension.data;
  return (
    <div className="py-1">
      <div className="flex items-center justify-between gap-3">
        <h1>{say`${data.name}: tension and water`}</h1>
        <Button className="no-print" onClick={() => window.print()}>{say`Print`}</Button>
      </div>
      <BlockPlaces to={keep} blockKey={key} />
      {data.threshold_kpa && (
        <p>{say`Irrigate between ${data.threshold_kpa[0]} and ${data.threshold_kpa[1]} ${quantity("tension", units).unit} (shaded): see Marks for where that comes from.`}</p>
      )}
      {data.why_not && <p>{data.why_not}</p>}
      <TensionSchool data={data} />
      {data.horizons.map((h) => (
        <HorizonPart key={h.top_cm} horizon={h} data={data} asOf={asOf} />
      ))}
      <Table data={data} />
    </div>
  );
}

function HorizonPart({ horizon, data, asOf }: { horizon: Horizon; data: Tension; asOf: string | undefined }) {
  const units = useUnits();
  const may = useMay();
  const cm = (v: number) => show(v, "soilDepth", units, false);
  return (
    <section
      className="mt-4"
      aria-label={say`${cm(horizon.top_cm)} to ${show(horizon.bottom_cm, "soilDepth", units)}`}
    >
      <h2 className="text-[17px] font-bold">{say`${cm(horizon.top_cm)} to ${cm(horizon.bottom_cm)} ${quantity("soilDepth", units).unit}, ${horizon.texture}`}</h2>
      <div className="grid gap-6 lg:grid-cols-[480px_minmax(0,1fr)]">
        <RetentionPlot horizon={horizon} names={NAMES} threshold={data.threshold_kpa ?? null} units={units} />
        <Curves horizon={horizon} editable={may("retention_curves") && !asOf} />
      </div>
    </section>
  );
}

function Curves({ horizon, editable }: { horizon: Horizon; editable: boolean }) {
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const [who] = useWho();
  const [trouble, setTrouble] = useState("");
  const [points, setPoints] = useState("");
  const pick = async (kind: string, given: number[][]) => {
    try {
      await apply.mutateAsync({
        retention_curves: [
          {
            key: newKey("curve", farm),
            soil: horizon.soil,
            top_cm: horizon.top_cm,
            bottom_cm: horizon.bottom_cm,
            kind,
            points: given,
            valid_from: momentOf(farm).slice(0, 10),
            who,
          },
        ] as never,
      });
      setTrouble("");
      setPoints("");
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  const typed = points
    .split(/\r?\n/)
    .map((line) =>
      line
        .trim()
        .split(/[\s;]+/)
        .map((t) => Number(t.replace(",", "."))),
    )
    .filter((pair) => pair.length === 2)
    .map(([kpa = 0, percent = 0]) => [kpa, percent / 100]);
  return (
    <div className="text-[14px]">
      <ul>
        {horizon.curves.map((c) => (
          <li key={c.kind} className="border-b border-rule py-1.5">
            <b>{NAMES[c.kind]}</b> ({DASHES[c.kind]}){c.picked && <b>{say`, in use`}</b>}
            {c.theta_error !== null &&
              c.theta_error !== undefined &&
              `: ± ${(c.theta_error * 100).toFixed(1)} %`}
            {c.refused && say`: no curve, ${c.refused}`}
            {editable && !c.picked && !c.refused && (
              <button
                type="button"
                className="ml-2 underline"
                disabled={apply.isPending}
                onClick={() =>
                  void pick(c.kind, c.kind === "points" || c.kind === "pairs" ? c.fitted_to : [])
                }
              >{say`use it from today`}</button>
            )}
            {c.source && (
              <p className="secondary">
                {c.source.title}. {c.source.detail}
              </p>
            )}
          </li>
        ))}
      </ul>
      {trouble && <p className="font-bold text-clay">{trouble}</p>}
      {editable && (
        <details className="no-print mt-2">
          <summary className="underline">{say`enter laboratory points`}</summary>
          <label>
            <span className="block text-[13px] font-bold">{say`One a line: tension in ${quantity("tension", units).unit}, water in % by volume`}</span>
            <textarea
              className="figure mt-1 h-28 w-full rounded-sheet border border-rule bg-panel p-2"
              placeholder={"10 38.5\n33 34.2\n100 29.8\n300 25.9\n1500 22.4"}
              value={points}
              onChange={(e) => setPoints(e.target.value)}
            />
          </label>
          <Button
            disabled={typed.length === 0 || apply.isPending}
            onClick={() => void pick("points", typed)}
          >{say`Fit and use from today`}</Button>
        </details>
      )}
    </div>
  );
}

/** Tension → share of available water used → mm, by depth and for the root zone. */
function Table({ data }: { data: Tension }) {
  const units = useUnits();
  const inRoots = data.tables.filter((t) => t.in_roots);
  if (inRoots.length === 0) return null;
  const mm = (v: number) => show(v, "depth", units, false);
  return (
    <section aria-label={say`Table`} className="mt-6">
      <h2 className="text-[17px] font-bold">{say`What a tension means`}</h2>
      <p>{say`Share of available water used, and ${quantity("depth", units).unit} left above wilting, in each layer; the root zone if every layer stood at that tension. Refill now stands at ${inRoots
        .map((t) => say`${show(t.refill_kpa, "tension", units)} at ${show(t.depth_cm, "soilDepth", units)}`)
        .join(", ")}.`}</p>
      <Wide label={say`What a tension means`}>
        <table className="figure mt-2 w-full text-right text-[13.5px]">
          <thead>
            <tr>
              <th scope="col" className="border-b border-ink font-normal">
                {quantity("tension", units).unit}
              </th>
              {inRoots.map((t) => (
                <th key={t.depth_cm} scope="col" className="border-b border-ink font-normal">
                  {show(t.depth_cm, "soilDepth", units)}
                </th>
              ))}
              <th scope="col" className="border-b border-ink">{say`root zone`}</th>
            </tr>
          </thead>
          <tbody>
            {data.root_zone.map((line, i) => (
              <tr key={line.kpa} className="border-b border-rule">
                <th scope="row" className="py-0.5 text-right">
                  {line.kpa}
                </th>
                {inRoots.map((t) => (
                  <td key={t.depth_cm}>
                    {share(t.rows[i]?.used_share ?? 0)} · {mm(t.rows[i]?.left_mm ?? 0)}
                  </td>
                ))}
                <td className="font-bold">
                  {share(line.used_share)} · {mm(line.left_mm)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Wide>
    </section>
  );
}

function share(used: number): string {
  if (used <= 0) return say`full`;
  return used >= 1 ? say`wilting` : `${Math.round(used * 100)} %`;
}
