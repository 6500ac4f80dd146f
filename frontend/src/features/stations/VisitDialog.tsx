import { useState } from "react";
import { uploadPhoto } from "../../api/client";
import { FormDialog, type SheetDialogProps, textIn } from "../../app/FormDialog";
import { useFarm } from "../../app/farm";
import { momentOf, newKey, useWho } from "../../app/records";
import { say } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";
import { type Sheet, useApply } from "./queries";

const KINDS = ["visit", "service", "battery", "repair"] as const;

/** A line for the station's log. */
export function VisitDialog({ sheet, open, close }: SheetDialogProps<Sheet>) {
  const farm = useFarm();
  const apply = useApply();
  const [who, setWho] = useWho();
  const [what, setWhat] = useState<(typeof KINDS)[number]>("visit");
  const store = async (form: FormData) => {
    const file = form.get("photo");
    const photo = file instanceof File && file.size > 0 ? (await uploadPhoto(file)).key : "";
    setWho(textIn(form, "who"));
    await apply.mutateAsync({
      visits: [
        {
          key: newKey("visit", farm),
          station: sheet.line.ref,
          at: momentOf(farm),
          who: textIn(form, "who"),
          what,
          note: textIn(form, "note"),
          photo,
        },
      ],
    });
  };
  return (
    <FormDialog title={say`Log a visit`} label={say`Save visit`} open={open} close={close} store={store}>
      {() => (
        <>
          <Choice
            label={say`What was done`}
            value={what}
            change={(k) => setWhat(k as typeof what)}
            options={KINDS.map((k) => ({ value: k, label: k }))}
          />
          <Field label={say`Who`} name="who" defaultValue={who} />
          <Field label={say`What was seen`} name="note" />
          <label>
            <span className="block text-[13px] font-bold">{say`Photo`}</span>
            <input type="file" name="photo" accept="image/*" capture="environment" />
          </label>
        </>
      )}
    </FormDialog>
  );
}
