import type { Schemas } from "../../api/client";
import { useFarm } from "../../app/farm";
import { momentOf, newKey, useWho } from "../../app/records";
import { Field } from "../../ui/Field";
import { FormDialog, type SheetDialogProps, textIn } from "./FormDialog";
import { type Sheet, useApply } from "./queries";

/** A station moved to another spot: it settles again from there. */
export function MoveDialog({ sheet, open, close }: SheetDialogProps<Sheet>) {
  const farm = useFarm();
  const apply = useApply();
  const [who] = useWho();
  const block = farm.blocks.find((b) => b.key === sheet.line.block);
  const store = async (form: FormData) => {
    const at = momentOf(farm);
    const number = (name: string) => Number(textIn(form, name).replace(",", "."));
    await apply.mutateAsync({
      blocks: [
        {
          ...block,
          name: undefined,
          stations: [
            {
              key: sheet.line.ref.split("/")[1],
              longitude: number("longitude"),
              latitude: number("latitude"),
              moved: at,
              sensors: sheet.sensors.map((s) => ({ key: s.key, depth_cm: s.depth_cm })),
            },
          ],
        } as unknown as Schemas["BlockPart"],
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
    <FormDialog title="Move the station" label="Store the move" open={open} close={close} store={store}>
      {(refused) => (
        <>
          <Field
            label="Longitude"
            name="longitude"
            defaultValue={sheet.line.longitude ?? ""}
            error={refused.longitude}
          />
          <Field
            label="Latitude"
            name="latitude"
            defaultValue={sheet.line.latitude ?? ""}
            error={refused.latitude}
          />
          <Field label="Why" name="note" />
          <p className="secondary">
            All its sensors settle again from now on, and give no advice until they have.
          </p>
        </>
      )}
    </FormDialog>
  );
}
