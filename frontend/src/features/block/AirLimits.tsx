import { useState } from "react";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useFarm, useUnits } from "../../app/farm";
import { momentOf, newKey, useApply, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { quantity, toServer } from "../../lib/units";
import { say } from "../../lib/words";
import { Field } from "../../ui/Field";

/** From which air temperatures somebody wants to be told. */
export function AirLimits() {
  const may = useMay();
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const [who] = useWho();
  const [open, setOpen] = useState(false);
  if (!may("air_limits")) return null;
  const value = (form: FormData, name: string) => {
    const text = textIn(form, name).replace(",", ".");
    return text === "" ? null : toServer(Number(text), "temperature", units);
  };
  const store = (form: FormData) =>
    apply.mutateAsync({
      air_limits: [
        {
          key: newKey("air", farm),
          valid_from: momentOf(farm).slice(0, 10),
          frost_c: value(form, "frost_c"),
          heat_c: value(form, "heat_c"),
          who,
          note: "",
        },
      ] as never,
    });
  const unit = quantity("temperature", units).unit;
  return (
    <>
      <button
        type="button"
        className="no-print ml-3 underline"
        onClick={() => setOpen(true)}
      >{say`frost and heat limits`}</button>
      {open && (
        <FormDialog
          title={say`Tell of frost and heat`}
          open
          close={() => setOpen(false)}
          store={store}
          label={say`Use from today`}
        >
          {(refused) => (
            <>
              <p>{say`By the air sensors of the loggers, on the Round. It is told after it was measured: it warns of the next hour, not of the night to come.`}</p>
              <Field
                label={say`Frost: at or below, ${unit}`}
                name="frost_c"
                inputMode="decimal"
                error={refused.frost_c}
              />
              <Field
                label={say`Heat: at or above, ${unit}`}
                name="heat_c"
                inputMode="decimal"
                error={refused.heat_c}
              />
            </>
          )}
        </FormDialog>
      )}
    </>
  );
}
