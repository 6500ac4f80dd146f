import { quantity, toServer } from "../../lib/units";
import { say } from "../../lib/words";
import { Field } from "../../ui/Field";
import { FormDialog, textIn } from "../FormDialog";
import { useUnits } from "../farm";
import { useLogSet } from "./queries";

export interface ActingProps {
  blockKey: string;
  blockName: string;
  asOf: string;
  open: boolean;
  close: () => void;
}

export const numberIn = (form: FormData, name: string) => Number(textIn(form, name).replace(",", "."));

/** Write down an irrigation that was applied. */
export function LogSetDialog({ blockKey, blockName, asOf, open, close }: ActingProps) {
  const units = useUnits();
  const log = useLogSet(blockKey);
  const store = (form: FormData) =>
    log.mutateAsync({
      start: textIn(form, "start"),
      hours: numberIn(form, "hours"),
      gross_mm: toServer(numberIn(form, "gross_mm"), "depth", units),
      note: textIn(form, "note"),
    });
  return (
    <FormDialog
      title={say`Log a set · ${blockName}`}
      open={open}
      close={close}
      store={store}
      label={say`Save set`}
    >
      {(refused) => (
        <>
          <Field
            label={say`Started, farm time`}
            name="start"
            type="datetime-local"
            defaultValue={asOf.slice(0, 16)}
            error={refused.start}
            required
          />
          <Field
            label={say`Ran for, hours`}
            name="hours"
            inputMode="decimal"
            error={refused.hours}
            required
          />
          <Field
            label={say`Gross depth, ${quantity("depth", units).unit}`}
            name="gross_mm"
            inputMode="decimal"
            error={refused.gross_mm}
            required
          />
          <Field label={say`Note`} name="note" error={refused.note} />
        </>
      )}
    </FormDialog>
  );
}
