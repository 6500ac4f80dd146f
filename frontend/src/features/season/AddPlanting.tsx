import { useState } from "react";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useFarm, useUnits } from "../../app/farm";
import { momentOf, newKey, useApply, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { quantity, toServer, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { CropField } from "../setup/CropField";
import type { Season } from "./queries";

/** A new planting, or a harvest or cutting as it happened. */
export function AddPlanting({ season }: { season: Season }) {
  const may = useMay();
  const [open, setOpen] = useState<"planting" | "harvest">();
  return (
    <p className="no-print mt-2 flex flex-wrap gap-3">
      {may("harvests") && <Button onClick={() => setOpen("harvest")}>{say`Harvest or cutting`}</Button>}
      {may("plantings") && <Button onClick={() => setOpen("planting")}>{say`New planting`}</Button>}
      {open === "planting" && <PlantingDialog season={season} close={() => setOpen(undefined)} />}
      {open === "harvest" && (
        <HarvestDialog blockKey={season.key} name={season.name} close={() => setOpen(undefined)} />
      )}
    </p>
  );
}

/** A harvest or cutting of a block, from a button. */
export function AddHarvest({ blockKey, name }: { blockKey: string; name: string }) {
  const [open, setOpen] = useState(false);
  return (
    <p className="no-print mt-2">
      <Button onClick={() => setOpen(true)}>{say`Enter the harvest`}</Button>
      {open && <HarvestDialog blockKey={blockKey} name={name} close={() => setOpen(false)} />}
    </p>
  );
}

const yieldOf = (form: FormData, name: string, units: UnitSystem) => {
  const text = textIn(form, name).replace(",", ".");
  return text === "" ? null : toServer(Number(text), "yield", units);
};

function PlantingDialog({ season, close }: { season: Season; close: () => void }) {
  const farm = useFarm();
  const apply = useApply();
  const [who] = useWho();
  const units = useUnits();
  const [crop, setCrop] = useState(season.crop);
  const store = (form: FormData) =>
    apply.mutateAsync({
      plantings: [
        {
          key: newKey("planting", farm),
          valid_from: textIn(form, "on"),
          block: season.key,
          crop: crop.trim(),
          variety: textIn(form, "variety"),
          purpose: textIn(form, "purpose"),
          yield_aim_t_ha: yieldOf(form, "yield_aim_t_ha", units),
          who,
        },
      ] as never,
    });
  return (
    <FormDialog
      title={say`New planting · ${season.name}`}
      open
      close={close}
      store={store}
      label={say`Plant it`}
    >
      {(refused) => (
        <>
          <p>{say`From its first day on it stands in place of what is there now. Past advice stays as it was.`}</p>
          <CropField value={crop} change={setCrop} error={refused.crop} />
          <Field label={say`Variety`} name="variety" error={refused.variety} />
          <Field label={say`For`} name="purpose" error={refused.purpose} />
          <Field
            label={say`Planted, or leafed out`}
            name="on"
            type="date"
            defaultValue={momentOf(farm).slice(0, 10)}
            error={refused.valid_from}
          />
          <Field
            label={say`Yield aimed at, ${quantity("yield", units).unit}`}
            name="yield_aim_t_ha"
            inputMode="decimal"
            error={refused.yield_aim_t_ha}
          />
        </>
      )}
    </FormDialog>
  );
}

interface HarvestDialogProps {
  blockKey: string;
  name: string;
  close: () => void;
}

function HarvestDialog({ blockKey, name, close }: HarvestDialogProps) {
  const farm = useFarm();
  const apply = useApply();
  const [who] = useWho();
  const units = useUnits();
  const [kind, setKind] = useState("harvest");
  const store = (form: FormData) =>
    apply.mutateAsync({
      harvests: [
        {
          key: newKey("harvest", farm),
          valid_from: textIn(form, "on"),
          block: blockKey,
          kind,
          yield_t_ha: yieldOf(form, "yield_t_ha", units),
          ends: kind === "harvest" && form.get("ends") === "on",
          who,
        },
      ] as never,
    });
  return (
    <FormDialog title={say`Harvest · ${name}`} open close={close} store={store} label={say`Save harvest`}>
      {(refused) => (
        <>
          <Choice
            label={say`What`}
            value={kind}
            options={[
              { value: "harvest", label: "harvest" },
              { value: "cutting", label: say`cutting: it grows again` },
            ]}
            change={setKind}
          />
          <Field
            label={say`On`}
            name="on"
            type="date"
            defaultValue={momentOf(farm).slice(0, 10)}
            error={refused.valid_from}
          />
          <Field
            label={say`Yield, ${quantity("yield", units).unit}`}
            name="yield_t_ha"
            inputMode="decimal"
            error={refused.yield_t_ha}
          />
          {kind === "harvest" && (
            <label className="flex items-center gap-2">
              <input type="checkbox" name="ends" className="accent-deep" />{" "}
              {say`nothing stands afterwards: bare ground until the next planting`}
            </label>
          )}
        </>
      )}
    </FormDialog>
  );
}
