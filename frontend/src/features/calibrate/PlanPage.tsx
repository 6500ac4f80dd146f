import { useState } from "react";
import { useParams } from "react-router";
import { useFarm, useUnits } from "../../app/farm";
import { quantity, show, toServer } from "../../lib/units";
import { say, sayCount, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Wide } from "../../ui/Wide";
import { usePlan } from "./queries";

/** A field sampling plan and a blank lab sheet, on paper. */
export function PlanPage() {
  const { block = "" } = useParams();
  const farm = useFarm();
  const units = useUnits();
  const [typed, setTyped] = useState(units === "us" ? "0.4" : "10");
  const within = Number(typed.replace(",", "."));
  const plan = usePlan(block, within > 0 ? toServer(within, "depth", units) : 10);
  if (!plan.data) return <p className="secondary py-6">{plan.error?.message ?? say`Opening …`}</p>;
  const data = plan.data;
  const tins = data.steps.flatMap((step) =>
    step.depths_cm.flatMap((d) => Array.from({ length: step.each }, () => d)),
  );
  return (
    <div className="max-w-4xl py-1">
      <div className="no-print mb-3 flex items-end gap-4">
        <Field
          label={say`Curve's own error wanted, ± ${quantity("depth", units).unit} in the root zone`}
          value={typed}
          inputMode="decimal"
          onChange={(e) => setTyped(e.target.value)}
          className="w-80"
        />
        <Button kind="ink" onClick={() => window.print()}>{say`Print`}</Button>
      </div>
      <h1>{say`${farm.name}, ${data.name}: sampling plan`}</h1>
      {plan.isError && <p className="font-bold text-clay">{plan.error.message}</p>}
      <p className="mt-1">{say`${data.samples} tins leave the curve's own error at about ± ${show(data.expected_mm, "depth", units)} in the root zone, nine times in ten, if tins scatter about the curve by 2.5 % (common practice, no source). Beside ${data.stations.join(", ")}.`}</p>
      <ol className="mt-2 list-decimal pl-6">
        {data.steps.map((step) => (
          <li
            key={step.when}
          >{sayWith`${<b>{step.when}</b>}: ${sayCount(step.each, "{n} tin", "{n} tins")} at each of ${step.depths_cm.map((d) => show(d, "soilDepth", units, false)).join(", ")} ${quantity("soilDepth", units).unit}; write down the reading at that moment`}</li>
        ))}
      </ol>
      <ul className="mt-2 list-disc pl-6">
        {data.cautions.map((caution) => (
          <li key={caution}>{caution}</li>
        ))}
      </ul>
      <h2 className="mt-5 text-[17px] font-bold">{say`Lab sheet`}</h2>
      <p>{say`Weigh the tin empty, with moist soil, and dried at ${show(105, "temperature", units)} until the mass stays (24 h, longer for clay).`}</p>
      <Wide label={say`Lab sheet`}>
        <table className="mt-2 w-full text-left">
          <thead>
            <tr>
              {[
                say`tin`,
                say`day`,
                say`station`,
                say`depth`,
                say`reading`,
                say`tin, g`,
                say`moist, g`,
                say`dry, g`,
                say`ring, cm³`,
                say`stones`,
              ].map((h) => (
                <th key={h} scope="col" className="border-b border-ink font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {tins.slice(0, 60).map((depth, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a blank line is its place on paper
              <tr key={i} className="border-b border-rule">
                <td className="figure py-2">{i + 1}</td>
                <td />
                <td />
                <td className="figure">{show(depth, "soilDepth", units)}</td>
                {[say`reading`, say`tin`, say`moist`, say`dry`, say`ring`, say`stones`].map((c) => (
                  <td key={c} className="border-l border-rule" />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </Wide>
    </div>
  );
}
