import { useState } from "react";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useFarm } from "../../app/farm";
import { momentOf, newKey, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { say } from "../../lib/words";
import { Field } from "../../ui/Field";
import { type Sheet, useApply } from "./queries";
import { stationChange } from "./stationParts";

type Zone = Sheet["zones"][number];

/** Which other blocks the station stands for; where they differ it steers them only after somebody accepted that. */
export function StandsFor({ sheet }: { sheet: Sheet }) {
  const farm = useFarm();
  const apply = useApply();
  const may = useMay();
  const [chosen, setChosen] = useState(sheet.stands_for);
  const [accepting, setAccepting] = useState<Zone>();
  const others = farm.blocks.filter((b) => b.key !== sheet.line.block);
  if (others.length === 0) return null;
  const set = (stands_for: string[]) => {
    setChosen(stands_for);
    apply.mutate({
      blocks: [stationChange(farm, sheet, { stands_for })],
    });
  };
  return (
    <details className="mt-5" open={sheet.stands_for.length > 0}>
      <summary className="cursor-pointer font-bold">{say`Stands for other blocks too`}</summary>
      <p className="secondary">{say`A block without a station of its own is then advised by this one.`}</p>
      <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1">
        {others.map((b) => (
          <label key={b.key} className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={chosen.includes(b.key)}
              onChange={(e) =>
                set(e.target.checked ? [...chosen, b.key] : chosen.filter((key) => key !== b.key))
              }
            />
            {b.name}
          </label>
        ))}
      </div>
      <ul className="mt-1">
        {sheet.zones.map((zone) => (
          <li key={zone.key} className="border-t border-rule py-1">
            <b>{zone.name}:</b>{" "}
            {zone.fits
              ? say`soil, crop, slope and emitters are alike.`
              : zone.accepted
                ? say`${zone.differs}. Accepted: ${zone.accepted}.`
                : say`not steered by it: ${zone.differs}.`}{" "}
            {!zone.fits && !zone.accepted && may("zone_acceptances") && (
              <button
                type="button"
                className="underline"
                onClick={() => setAccepting(zone)}
              >{say`accept it, with a note`}</button>
            )}
          </li>
        ))}
      </ul>
      {accepting && <Accept sheet={sheet} zone={accepting} close={() => setAccepting(undefined)} />}
    </details>
  );
}

function Accept({ sheet, zone, close }: { sheet: Sheet; zone: Zone; close: () => void }) {
  const farm = useFarm();
  const apply = useApply();
  const [who] = useWho();
  const store = (form: FormData) =>
    apply.mutateAsync({
      zone_acceptances: [
        {
          key: newKey("zone", farm),
          valid_from: momentOf(farm).slice(0, 10),
          block: zone.key,
          station: sheet.line.ref,
          note: textIn(form, "note"),
          who,
        },
      ] as never,
    });
  return (
    <FormDialog
      title={say`${zone.name} by this station`}
      open
      close={close}
      store={store}
      label={say`Accept from today`}
    >
      {(refused) => (
        <>
          <p>{say`${zone.differs}. Its advice will say so every day.`}</p>
          <Field label={say`Why it may stand for it`} name="note" required error={refused.note} />
        </>
      )}
    </FormDialog>
  );
}
