import { type FormEvent, useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { errorsOf } from "../../app/records";
import { quantity, show, toInput, toServer } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { useTubeCuts } from "./queries";

const IN = 2.54;
const every = (step: number, last: number) =>
  Array.from({ length: Math.round(last / step) }, (_, i) => step * (i + 1));
/** Sets of depths in use (common practice, no source), in cm; the step where they are evenly apart. */
const SETS: { depths: number[]; step?: number }[] = [
  { depths: [6, 12, 24, 36].map((d) => IN * d) },
  { depths: [6, 18, 30, 42].map((d) => IN * d) },
  { depths: [12, 18].map((d) => IN * d) },
  { depths: every(4 * IN, 36 * IN), step: 4 * IN },
  { depths: every(10, 60), step: 10 },
  { depths: every(30, 120), step: 30 },
];

/** Cut-and-mark list: how long each tube is cut, and where the soil line is marked. */
export function Tubes() {
  const units = useUnits();
  const cuts = useTubeCuts();
  const [depths, setDepths] = useState("");
  const [stickOut, setStickOut] = useState(toInput(19.05, "soilDepth", units));
  const [trouble, setTrouble] = useState("");
  const unit = quantity("soilDepth", units).unit;
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    const number = (text: string) => toServer(Number(text.replace(",", ".")), "soilDepth", units);
    try {
      await cuts.mutateAsync({
        depths_cm: depths
          .split(/[\s;]+/)
          .filter(Boolean)
          .map(number),
        stick_out_cm: number(stickOut),
      });
      setTrouble("");
    } catch (error) {
      setTrouble(
        errorsOf(error)
          .map((e) => e.reason)
          .join("; "),
      );
    }
  };
  return (
    <div className="max-w-3xl">
      <p className="no-print">{say`One tube a sensor, all standing out by the same length, so that a wrong depth shows at a glance. The sensor's middle lies ${units === "us" ? "1.5 in" : "3.8 cm"} beyond the tube's end. Common practice, no source.`}</p>
      <p className="no-print mt-3 flex flex-wrap items-center gap-x-3 gap-y-1">
        {say`Sets in use:`}
        {SETS.map(({ depths: set, step }) => (
          <button
            key={set.join(" ")}
            type="button"
            className="underline"
            onClick={() => setDepths(set.map((d) => toInput(d, "soilDepth", units)).join(" "))}
          >
            {step === undefined
              ? `${set.map((d) => show(d, "soilDepth", units, false)).join(", ")} ${unit}`
              : say`every ${show(step, "soilDepth", units)}`}
          </button>
        ))}
      </p>
      <form
        className="no-print mt-3 flex flex-wrap items-end gap-4"
        noValidate
        onSubmit={(e) => void submit(e)}
      >
        <Field
          label={say`Sensor depths, ${unit}`}
          value={depths}
          onChange={(e) => setDepths(e.target.value)}
          error={trouble}
        />
        <Field
          label={say`Stands out, ${unit}`}
          value={stickOut}
          onChange={(e) => setStickOut(e.target.value)}
        />
        <Button kind="ink" type="submit">{say`Make list`}</Button>
      </form>
      {cuts.data && !trouble && <List cuts={cuts.data.tubes} units={units} />}
      {cuts.data && !trouble && <Parts found={cuts.data} />}
    </div>
  );
}

/** Parts to buy, with their cost by the examples. */
function Parts({ found }: { found: Schemas["TubesOut"] }) {
  return (
    <section aria-label={say`Parts`} className="mt-5">
      <h2 className="text-[17px] font-bold">{say`Parts`}</h2>
      <table className="mt-1 text-left">
        <tbody>
          {found.parts.map((p) => (
            <tr key={p.part} className="border-t border-rule">
              <th scope="row" className="py-1 pr-6 font-normal">
                {sayCode(p.part)}
              </th>
              <td className="figure pr-6">
                {p.unit === "m" ? p.amount.toFixed(1) : p.amount} {sayCode(p.unit)}
              </td>
              <td className="figure">{p.cost.toFixed(2)}</td>
            </tr>
          ))}
          <tr className="border-t border-ink font-bold">
            <th scope="row" className="py-1">{say`together`}</th>
            <td />
            <td className="figure">{found.cost.toFixed(2)}</td>
          </tr>
        </tbody>
      </table>
      <p className="secondary">{say`Prices are examples. Notch for the wire at the lower end, drain hole in line with the sensor's slot, elbow not glued, spare wire folded inside, cap taped: the steps are under “Make its tubes” on a planned station.`}</p>
    </section>
  );
}

function List({ cuts, units }: { cuts: Schemas["TubeOut"][]; units: "metric" | "us" }) {
  const decimals = units === "us" ? 1 : 1;
  const { unit, factor } = quantity("soilDepth", units);
  const figure = (cm: number) => `${(cm * factor).toFixed(decimals)} ${unit}`;
  return (
    <>
      <table className="mt-4 w-full text-left">
        <thead className="secondary">
          <tr>
            {["label", say`sensor depth`, say`cut the tube to`, say`soil line below the top`].map((h) => (
              <th key={h} className="font-normal">
                {h || <span className="sr-only">{say`to do`}</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {cuts.map((c) => (
            <tr key={c.label} className="border-t border-rule">
              <td className="py-1.5 text-[20px] font-bold">{c.label}</td>
              <td className="figure">{figure(c.depth_cm)}</td>
              <td className="figure font-bold">{figure(c.length_cm)}</td>
              <td className="figure">{figure(c.soil_line_cm)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Button className="no-print mt-3" onClick={() => window.print()}>{say`Print`}</Button>
    </>
  );
}
