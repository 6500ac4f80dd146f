import { useState } from "react";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useFarm, useUnits } from "../../app/farm";
import { newKey, useApply, useWho } from "../../app/records";
import { dayMonth, wall } from "../../lib/dates";
import { quantity, toServer } from "../../lib/units";
import { say } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";
import { useStages } from "./queries";

interface Props {
  blockKey: string;
  blockName: string;
  asOf: string;
  close: () => void;
}

/** What was seen in the field: the crop's stage by its own name, or the rain as this block had it. */
export function SeenDialog({ blockKey, blockName, asOf, close }: Props) {
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const [who] = useWho();
  const [what, setWhat] = useState<"stage" | "rain">("stage");
  const stages = useStages(blockKey);
  const [stage, setStage] = useState("");
  const names = stages.data?.names ?? [];
  const last = stages.data?.seen[stages.data.seen.length - 1];
  const store = (form: FormData) => {
    const base = { key: newKey(what, farm), valid_from: textIn(form, "on"), block: blockKey, who };
    if (what === "stage") {
      const seen = { ...base, crop: stages.data?.crop, stage: stage || names[0]?.name, note: "" };
      return apply.mutateAsync({ stages_seen: [seen] as never });
    }
    const value = (name: string, kind: "depth" | "soilDepth") => {
      const text = textIn(form, name).replace(",", ".");
      return text === "" ? null : toServer(Number(text), kind, units);
    };
    const rain = { gauge_mm: value("gauge_mm", "depth"), wet_to_cm: value("wet_to_cm", "soilDepth") };
    return apply.mutateAsync({ rain_notes: [{ ...base, ...rain, note: textIn(form, "note") }] as never });
  };
  return (
    <FormDialog
      title={say`Seen in the field · ${blockName}`}
      open
      close={close}
      store={store}
      label={say`Save`}
    >
      {(refused) => (
        <>
          <Choice
            label={say`What`}
            value={what}
            options={[
              { value: "stage", label: say`the crop's growth stage` },
              { value: "rain", label: say`rain, as this block had it` },
            ]}
            change={(v) => setWhat(v as "stage" | "rain")}
          />
          <Field
            label={say`On`}
            name="on"
            type="date"
            defaultValue={asOf.slice(0, 10)}
            error={refused.valid_from}
          />
          {what === "stage" ? (
            <>
              <Choice
                label={say`Stage`}
                value={stage || names[0]?.name || ""}
                options={names.map((n) => ({ value: n.name, label: n.name }))}
                change={setStage}
                error={refused.stage}
              />
              <p className="secondary">{say`${last ? say`Last seen: ${last.name}, ${dayMonth(wall(`${last.on}T00:00`))}. ` : ""}The calendar of Kc, targets and the window for installing go by it from that day.`}</p>
            </>
          ) : (
            <>
              <Field
                label={say`In its gauge, ${quantity("depth", units).unit}`}
                name="gauge_mm"
                inputMode="decimal"
                hint={say`in place of the farm's gauge for this block`}
                error={refused.gauge_mm}
              />
              <Field
                label={say`Soil found wet down to, ${quantity("soilDepth", units).unit}`}
                name="wet_to_cm"
                inputMode="decimal"
                hint={say`dig beside a plant the day after: what did not go in does not count`}
                error={refused.wet_to_cm}
              />
              <Field label={say`Note`} name="note" />
            </>
          )}
        </>
      )}
    </FormDialog>
  );
}
