import { type FormEvent, useState } from "react";
import { errorsOf } from "../../app/records";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { usePower } from "./queries";

const ENTRIES = [
  ["sleep_ua", say`Asleep, µA`, "20"],
  ["awake_ma", say`Awake, mA`, "80"],
  ["awake_s", say`Awake each time, s`, "10"],
  ["every_min", say`Minutes between readings`, "60"],
  ["capacity_mah", say`Cells, mAh`, "2500"],
  ["charged_mah_d", say`Sun on a dull day, mAh`, "0"],
] as const;

/** How long a logger's cells last, from what it draws asleep and awake. */
export function Cells() {
  const power = usePower();
  const [values, setValues] = useState<Record<string, string>>(
    Object.fromEntries(ENTRIES.map(([name, , usual]) => [name, usual])),
  );
  const [refused, setRefused] = useState<Record<string, string>>({});
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    const body = Object.fromEntries(
      ENTRIES.map(([name]) => [name, Number((values[name] ?? "").replace(",", "."))]),
    );
    try {
      await power.mutateAsync(body as never);
      setRefused({});
    } catch (error) {
      setRefused(Object.fromEntries(errorsOf(error).map((e) => [e.path, e.reason])));
    }
  };
  return (
    <section className="mt-6 max-w-3xl" aria-label={say`Cells`}>
      <h2 className="text-[17px] font-bold">{say`How long the cells last`}</h2>
      <form className="mt-1 grid gap-3 sm:grid-cols-3" noValidate onSubmit={(e) => void submit(e)}>
        {ENTRIES.map(([name, label]) => (
          <Field
            key={name}
            label={label}
            inputMode="decimal"
            value={values[name] ?? ""}
            error={refused[name]}
            onChange={(e) => setValues({ ...values, [name]: e.target.value })}
          />
        ))}
        <Button kind="ink" type="submit" className="self-end justify-self-start">{say`Work it out`}</Button>
      </form>
      {power.data && Object.keys(refused).length === 0 && (
        <p className="mt-2">
          {power.data.days === null ? (
            <b>{say`The sun makes good what it draws.`}</b>
          ) : (
            sayWith`About ${<b>{say`${Math.round(power.data.days)} days`}</b>}`
          )}{" "}
          {say`(${power.data.draw_mah_d.toFixed(1)} mAh a day, ${Math.round(100 * power.data.asleep_fraction)} % of it asleep). Four fifths of the cells' charge can be drawn in the field (common practice, no source).`}
        </p>
      )}
    </section>
  );
}
