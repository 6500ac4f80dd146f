import { useState } from "react";
import { FormDialog, type SheetDialogProps, textIn } from "../../app/FormDialog";
import { useFarm, useUnits } from "../../app/farm";
import { momentOf, newKey, useWho } from "../../app/records";
import { show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";
import { type Sheet, useApply, useBench } from "./queries";

/** Another device into a sensor's place: the history stays with the depth, the calibration goes with the device. */
export function ReplaceDialog({ sheet, open, close }: SheetDialogProps<Sheet>) {
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const bench = useBench();
  const [who] = useWho();
  const [sensor, setSensor] = useState(sheet.sensors[0]?.ref ?? "");
  const [device, setDevice] = useState("");
  const free = (bench.data?.devices ?? []).filter((d) => d.state !== "in the ground");
  const chosen = free.find((d) => d.key === device);
  const store = async (form: FormData) => {
    const at = momentOf(farm);
    const place = sheet.sensors.find((s) => s.ref === sensor);
    const out = place?.device ? say`${place.device} out, ` : "";
    await apply.mutateAsync({
      placements: [{ sensor, device, since: at, why: textIn(form, "why") }],
      visits: [
        {
          key: newKey("replacement", farm),
          station: sheet.line.ref,
          at,
          who,
          what: "replacement",
          note: say`${place?.depth_cm} cm: ${out}${device} in. ${textIn(form, "why")}`.trim(),
        },
      ],
    });
  };
  return (
    <FormDialog title={say`Replace a sensor`} label={say`Save`} open={open} close={close} store={store}>
      {(refused) => (
        <>
          <Choice
            label={say`Place`}
            value={sensor}
            change={setSensor}
            options={sheet.sensors.map((s) => ({
              value: s.ref,
              label: `${show(s.depth_cm, "soilDepth", units)}${s.device ? say`, now ${s.device}` : ""}`,
            }))}
          />
          <Choice
            label={say`Device from the register`}
            value={device}
            change={setDevice}
            error={refused.device}
            options={[
              { value: "", label: say`choose one` },
              ...free.map((d) => ({ value: d.key, label: say`${d.key}, ${d.type}, ${d.state}` })),
            ]}
          />
          {chosen?.state === "rejected" && (
            <p>{sayWith`${<b>{say`Check:`}</b>} the bench rejected ${chosen.key}.`}</p>
          )}
          {chosen?.calibrations === 0 && (
            <p className="secondary">{say`${chosen.key} has no calibration of its own: until it gets one, its raw values are an index, not water.`}</p>
          )}
          <Field label={say`Why`} name="why" />
          <p className="secondary">{say`It settles from now on; until then its layer is filled in from its neighbours.`}</p>
        </>
      )}
    </FormDialog>
  );
}
