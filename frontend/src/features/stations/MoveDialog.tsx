import { FormDialog, type SheetDialogProps, textIn } from "../../app/FormDialog";
import { useFarm } from "../../app/farm";
import { momentOf, newKey, useWho } from "../../app/records";
import { say } from "../../lib/words";
import { Field } from "../../ui/Field";
import { type Sheet, useApply } from "./queries";
import { stationChange } from "./stationParts";

/** A station moved to another spot: it settles again from there. */
export function MoveDialog({ sheet, open, close }: SheetDialogProps<Sheet>) {
  const farm = useFarm();
  const apply = useApply();
  const [who] = useWho();
  const store = async (form: FormData) => {
    const at = momentOf(farm);
    const number = (name: string) => Number(textIn(form, name).replace(",", "."));
    await apply.mutateAsync({
      blocks: [
        stationChange(farm, sheet, {
          longitude: number("longitude"),
          latitude: number("latitude"),
          moved: at,
        }),
      ],
      visits: [
        {
          key: newKey("move", farm),
          station: sheet.line.ref,
          at,
          who,
          what: "move",
          note: textIn(form, "note"),
        },
      ],
    });
  };
  return (
    <FormDialog title={say`Move the station`} label={say`Save move`} open={open} close={close} store={store}>
      {(refused) => (
        <>
          <Field
            label={say`Longitude`}
            name="longitude"
            defaultValue={sheet.line.longitude ?? ""}
            error={refused.longitude}
          />
          <Field
            label={say`Latitude`}
            name="latitude"
            defaultValue={sheet.line.latitude ?? ""}
            error={refused.latitude}
          />
          <Field label={say`Why`} name="note" />
          <p className="secondary">{say`All its sensors settle again from now on, and give no advice until they have.`}</p>
        </>
      )}
    </FormDialog>
  );
}
