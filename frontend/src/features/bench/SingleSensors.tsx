import { useState } from "react";
import type { Schemas } from "../../api/client";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useFarm } from "../../app/farm";
import { momentOf, newKey } from "../../app/records";
import { useMay } from "../../app/session";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { useApply, useBenchPractice } from "./queries";

const CHECKS: Record<string, string> = {
  supply: say`two supplies`,
  days: say`several days`,
  density: say`packing`,
};

/** One sensor at a time: two supplies, several days, packing, and the numbers to program into a reader. */
export function SingleSensors() {
  const found = useBenchPractice();
  const may = useMay();
  const [adding, setAdding] = useState(false);
  if (found.isPending) return <p className="secondary">{say`Opening …`}</p>;
  if (found.isError) return <p>{found.error.message}</p>;
  return (
    <div>
      <p className="max-w-3xl">{say`Read a sensor in air and in water at two supply voltages, and again on other days; in soil of one moisture, packed loose and firm. What moves more than its limit is said.`}</p>
      {may("bench_readings") && (
        <Button kind="ink" className="mt-2" onClick={() => setAdding(true)}>{say`Add readings`}</Button>
      )}
      {found.data.sensors.length === 0 && (
        <p className="mt-2">{say`Test a batch first: its span is the measure.`}</p>
      )}
      <div className="mt-3 grid gap-4 md:grid-cols-2">
        {found.data.sensors.filter(tried).map((s) => (
          <Sensor key={`${s.batch} ${s.sensor}`} sensor={s} />
        ))}
      </div>
      <Classes sensors={found.data.sensors} />
      {adding && (
        <AddReadings names={found.data.sensors.map((s) => s.sensor)} close={() => setAdding(false)} />
      )}
    </div>
  );
}

function Sensor({ sensor }: { sensor: Schemas["SensorChecksOut"] }) {
  return (
    <section className="sheet p-3" aria-label={sensor.sensor}>
      <h2 className="font-bold">
        {sensor.sensor} <span className="secondary">{sensor.batch}</span>
      </h2>
      <ul>
        {sensor.checks.map((c) => (
          <li key={c.check} className="flex gap-2">
            <span className="w-28 shrink-0">{CHECKS[c.check] ?? c.check}</span>
            <span>
              {c.passes === false && <b>{say`Fails:`} </b>}
              {c.words}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

const tried = (sensor: Schemas["SensorChecksOut"]) => sensor.checks.some((c) => c.passes !== null);

/** The five classes of every sensor as raw numbers, to program into a reader. */
function Classes({ sensors }: { sensors: Schemas["SensorChecksOut"][] }) {
  const first = sensors[0];
  if (!first) return null;
  return (
    <section aria-label={say`Classes for a reader`} className="mt-5">
      <h2 className="text-[17px] font-bold">{say`Classes for a reader`}</h2>
      <p className="secondary">{say`Five equal parts of the way from air to water, as raw numbers: each class goes on to the next number (common practice, no source).`}</p>
      <div className="relative overflow-x-auto">
        <table className="mt-1 text-left">
          <thead className="secondary">
            <tr>
              {[say`sensor`, ...first.classes.map((c) => say`${c.word} from`), say`in water`].map((h) => (
                <th key={h} className="pr-6 font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sensors.map((s) => (
              <tr key={`${s.batch} ${s.sensor}`} className="border-t border-rule">
                <th scope="row" className="py-0.5 pr-6 font-normal">
                  {s.sensor} <span className="secondary">{s.batch}</span>
                </th>
                {s.classes.map((c) => (
                  <td key={c.word} className="figure pr-6">
                    {Math.round(c.from_raw)}
                  </td>
                ))}
                <td className="figure">{Math.round(s.classes[s.classes.length - 1]?.to_raw ?? 0)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function AddReadings({ names, close }: { names: string[]; close: () => void }) {
  const farm = useFarm();
  const apply = useApply();
  const [medium, setMedium] = useState("water");
  const [sensor, setSensor] = useState(names[0] ?? "");
  const optional = (form: FormData, name: string, scale = 1) => {
    const text = textIn(form, name).replace(",", ".");
    return text === "" ? null : Number(text) / scale;
  };
  const store = (form: FormData) =>
    apply.mutateAsync({
      bench_readings: [
        {
          key: newKey("bench", farm),
          sensor,
          medium,
          readings: textIn(form, "readings")
            .split(/[\s;]+/)
            .filter(Boolean)
            .map((t) => Number(t.replace(",", "."))),
          supply_v: optional(form, "supply_v"),
          bulk_density_g_cm3: medium === "soil" ? optional(form, "bulk_density_g_cm3") : null,
          theta: medium === "soil" ? optional(form, "theta", 100) : null,
          on: textIn(form, "on"),
          note: "",
        },
      ] as never,
    });
  return (
    <FormDialog title={say`Readings of one sensor`} open close={close} store={store} label={say`Save`}>
      {(refused) => (
        <>
          <Choice
            label={say`Sensor`}
            value={sensor}
            options={names.map((n) => ({ value: n, label: n }))}
            change={setSensor}
            error={refused.sensor}
          />
          <Choice
            label={say`In`}
            value={medium}
            options={["air", "water", "soil"].map((m) => ({ value: m, label: m }))}
            change={setMedium}
          />
          <Field
            label={say`Readings`}
            name="readings"
            inputMode="decimal"
            error={refused.readings}
            required
          />
          <Field label={say`Supply, V`} name="supply_v" inputMode="decimal" error={refused.supply_v} />
          {medium === "soil" && (
            <>
              <Field
                label={say`Packed to, g/cm³`}
                name="bulk_density_g_cm3"
                inputMode="decimal"
                error={refused.bulk_density_g_cm3}
              />
              <Field
                label={say`Water in the soil, %`}
                name="theta"
                inputMode="decimal"
                error={refused.theta}
              />
            </>
          )}
          <Field
            label={say`On`}
            name="on"
            type="date"
            defaultValue={momentOf(farm).slice(0, 10)}
            error={refused.on}
          />
        </>
      )}
    </FormDialog>
  );
}
