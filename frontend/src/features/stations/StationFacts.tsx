import { useState } from "react";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useFarm } from "../../app/farm";
import { momentOf, newKey, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { clock, dayMonth, wall } from "../../lib/dates";
import { say } from "../../lib/words";
import { Field } from "../../ui/Field";
import { type Sheet, useApply } from "./queries";

const NAMES: Record<string, string> = {
  temperature: "soil temperature",
  salinity: "soil salinity",
  trunk: "trunk gauge",
  air: "air temperature",
  "leaf-wetness": "leaf wetness",
  "water-on": "water on",
};
const UNITS: Record<string, string> = { degC: "°C", degF: "°F", um: "µm" };

/** What else a station says: other channels, the logger's memory, and when it comes out. */
export function StationFacts({ sheet }: { sheet: Sheet }) {
  const may = useMay();
  const [memory, setMemory] = useState(false);
  return (
    <section aria-label={say`Season`} className="my-5">
      <h2 className="text-[17px] font-bold">{say`Through the season`}</h2>
      <p className="mt-1">{sheet.take_out}.</p>
      <p className="mt-1">
        {sheet.memory && say`Logger: ${sheet.memory.words}.`}{" "}
        {may("logger_memories") && (
          <button type="button" className="underline" onClick={() => setMemory(true)}>
            {sheet.memory ? say`read out, or change` : say`its logger is read out by hand`}
          </button>
        )}
      </p>
      {sheet.companions.length > 0 && (
        <ul className="mt-2">
          {sheet.companions.map((c) => (
            <li key={c.ref} className="flex justify-between gap-3 border-t border-rule py-1">
              <span>{NAMES[c.quantity] ?? c.quantity}</span>
              <span className="figure">
                {c.latest === null ? say`no reading` : `${c.latest.toFixed(1)} ${UNITS[c.unit] ?? c.unit}`}
                {c.at && (
                  <span className="secondary ml-2">
                    {dayMonth(wall(c.at))}, {clock(wall(c.at))}
                  </span>
                )}
              </span>
            </li>
          ))}
        </ul>
      )}
      {memory && <MemoryDialog sheet={sheet} close={() => setMemory(false)} />}
    </section>
  );
}

function MemoryDialog({ sheet, close }: { sheet: Sheet; close: () => void }) {
  const farm = useFarm();
  const apply = useApply();
  const [who] = useWho();
  const number = (form: FormData, name: string) => Number(textIn(form, name).replace(",", "."));
  const store = (form: FormData) =>
    apply.mutateAsync({
      logger_memories: [
        {
          key: newKey("memory", farm),
          valid_from: momentOf(farm).slice(0, 10),
          station: sheet.line.ref,
          holds: number(form, "holds"),
          every_min: number(form, "every_min"),
          read_out: textIn(form, "read_out"),
          who,
          note: "",
        },
      ] as never,
    });
  return (
    <FormDialog
      title={say`Logger read out by hand`}
      open
      close={close}
      store={store}
      label={say`Save read-out`}
    >
      {(refused) => (
        <>
          <Field
            label={say`Last read out`}
            name="read_out"
            type="date"
            defaultValue={momentOf(farm).slice(0, 10)}
            error={refused.read_out}
          />
          <Field
            label={say`Readings it holds, each channel`}
            name="holds"
            inputMode="numeric"
            defaultValue={sheet.memory?.holds ?? 4096}
            hint={say`the maker's papers say; hourly readings of 170 days are 4,080`}
            error={refused.holds}
          />
          <Field
            label={say`Minutes between readings`}
            name="every_min"
            inputMode="numeric"
            defaultValue={sheet.memory?.every_min ?? 60}
            error={refused.every_min}
          />
        </>
      )}
    </FormDialog>
  );
}
