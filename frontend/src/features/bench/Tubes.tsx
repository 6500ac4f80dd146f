import { type FormEvent, useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { errorsOf } from "../../app/records";
import { quantity, toInput, toServer } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { useTubeCuts } from "./queries";

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
      <p className="no-print">
        One tube a sensor, all standing out by the same length, so that a wrong depth shows at a glance. The
        sensor's middle lies {units === "us" ? "1.5 in" : "3.8 cm"} beyond the tube's end. Common practice, no
        source.
      </p>
      <form
        className="no-print mt-3 flex flex-wrap items-end gap-4"
        noValidate
        onSubmit={(e) => void submit(e)}
      >
        <Field
          label={`Sensor depths, ${unit}`}
          value={depths}
          onChange={(e) => setDepths(e.target.value)}
          error={trouble}
        />
        <Field label={`Stands out, ${unit}`} value={stickOut} onChange={(e) => setStickOut(e.target.value)} />
        <Button kind="ink" type="submit">
          Make list
        </Button>
      </form>
      {cuts.data && !trouble && <List cuts={cuts.data} units={units} />}
    </div>
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
            {["label", "sensor depth", "cut the tube to", "soil line below the top"].map((h) => (
              <th key={h} className="font-normal">
                {h}
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
      <Button className="no-print mt-3" onClick={() => window.print()}>
        Print
      </Button>
    </>
  );
}
