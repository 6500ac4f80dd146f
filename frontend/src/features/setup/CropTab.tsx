import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { type QuantityName, quantityOf, show, toInput, toServer, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { RefusalNote } from "../../ui/entries";
import { Wide } from "../../ui/Wide";
import { CropField } from "./CropField";
import { LandscapeHelper } from "./PracticeHelpers";
import { SaveLine, type TabProps, useSaving } from "./saving";

type Value = Schemas["CropValueOut"];
const COLUMNS = ["root_depth_cm", "allowable_depletion_fraction"];

const quantityFor = (v: Value): QuantityName | null => quantityOf(v.unit);
const asText = (value: number | null, v: Value, units: UnitSystem) => {
  const q = quantityFor(v);
  if (value === null) return "";
  return q ? toInput(value, q, units) : String(value);
};

/** The crop's values: copied from the library, changed where the block differs, with what they were. */
export function CropTab({ setup, block }: TabProps) {
  const units = useUnits();
  const [crop, setCrop] = useState(block.crop);
  const [typed, setTyped] = useState<Record<string, string>>({});
  const saving = useSaving(["crop", ...setup.crop.values.map((v) => v.name)]);
  const numbers = () => {
    const found: Record<string, number> = {};
    for (const v of setup.crop.values) {
      const text = typed[v.name] ?? (v.changed ? asText(v.value, v, units) : "");
      if (text.trim() === "") continue;
      const q = quantityFor(v);
      const number = Number(text.replace(",", "."));
      found[v.name] = q ? toServer(number, q, units) : number;
    }
    return found;
  };
  const save = () => {
    const all = numbers();
    const own = Object.fromEntries(Object.entries(all).filter(([name]) => !COLUMNS.includes(name)));
    return saving.save({
      blocks: [
        {
          key: block.key,
          area_ha: block.area_ha,
          soil: block.soil,
          crop,
          crop_values: own,
          root_depth_cm: all.root_depth_cm ?? null,
          allowable_depletion_fraction: all.allowable_depletion_fraction ?? null,
        } as Schemas["BlockPart"],
      ],
    });
  };
  return (
    <form
      className="max-w-4xl"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      <div className="grid gap-5 sm:grid-cols-2">
        <CropField value={crop} change={setCrop} error={saving.refused.crop} />
        <p className="self-end">{setup.crop.window}</p>
      </div>
      <Wide label={say`Crop library`}>
        <table className="mt-4 w-full text-left">
          <thead className="secondary">
            <tr>
              {[say`value`, say`library`, say`this block`, say`where from`].map((h) => (
                <th key={h} className="pb-1 font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {setup.crop.values.map((v) => (
              <CropRow
                key={v.name}
                value={v}
                units={units}
                typed={typed[v.name]}
                refused={saving.refused[v.name]}
                change={(text) => setTyped((before) => ({ ...before, [v.name]: text }))}
              />
            ))}
          </tbody>
        </table>
      </Wide>
      <LandscapeHelper
        use={(kc) =>
          setTyped((before) => ({ ...before, kc_ini: String(kc), kc_mid: String(kc), kc_end: String(kc) }))
        }
      />
      <p className="secondary mt-2">{say`An empty entry takes the library's value.`}</p>
      <RefusalNote refused={saving.refused} />
      <SaveLine stored={saving.stored} pending={saving.pending} label={say`Save crop`} />
    </form>
  );
}

interface RowProps {
  value: Value;
  units: UnitSystem;
  typed: string | undefined;
  refused: string | undefined;
  change: (text: string) => void;
}

function CropRow({ value: v, units, typed, refused, change }: RowProps) {
  const q = quantityFor(v);
  const unit = q ? show(1, q, units).replace(/^[^ ]+ /, "") : v.unit;
  const library =
    v.library_value === null ? "–" : q ? show(v.library_value, q, units) : `${v.library_value} ${v.unit}`;
  return (
    <tr className="border-t border-rule align-baseline">
      <td className="py-1 pr-4 whitespace-nowrap">{v.label}</td>
      <td className="figure pr-4 whitespace-nowrap">{library}</td>
      <td className="pr-4 whitespace-nowrap">
        <input
          aria-label={say`${v.label}, this block`}
          aria-invalid={refused ? true : undefined}
          inputMode="decimal"
          className={`figure w-24 rounded-sheet border bg-panel px-2 py-1 ${refused ? "border-2 border-clay" : "border-rule"}`}
          placeholder={asText(v.library_value, v, units)}
          value={typed ?? (v.changed ? asText(v.value, v, units) : "")}
          onChange={(e) => change(e.target.value)}
        />{" "}
        {unit}
        {refused && <p className="text-[13px] font-bold text-clay">{refused}</p>}
      </td>
      <td className="secondary">
        {v.changed && <b className="text-ink">{say`changed ·`} </b>}
        {v.source.title}
        {v.source.detail ? `; ${v.source.detail}` : ""}
      </td>
    </tr>
  );
}
