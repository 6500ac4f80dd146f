import type { Schemas } from "../../api/client";
import { quantity, toInput, toServer, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";
import { useChoices } from "./queries";

type HorizonPart = Schemas["HorizonPart"];

/** A horizon as typed; an empty texture means sand and clay are given. */
export interface HorizonTyped {
  bottom: string;
  texture: string;
  sand: string;
  clay: string;
  organic: string;
  stones: string;
  density: string;
  stops: boolean;
}

const pct = (fraction: number | null | undefined) =>
  fraction === null || fraction === undefined ? "" : String(Number((fraction * 100).toPrecision(5)));

export function typedHorizon(h: HorizonPart, units: UnitSystem): HorizonTyped {
  return {
    bottom: toInput(h.bottom_cm, "soilDepth", units),
    texture: h.texture ?? "",
    sand: pct(h.sand_fraction),
    clay: pct(h.clay_fraction),
    organic: String(h.organic_matter_pct ?? 1),
    stones: pct(h.stones_fraction ?? 0),
    density: h.bulk_density_g_cm3 ? toInput(h.bulk_density_g_cm3, "density", units) : "",
    stops: h.restricts_roots ?? false,
  };
}

const number = (text: string) => Number(text.trim().replace(",", "."));

/** The horizon as a part of the farm document; marks set by hand are taken over from what is stored. */
export function horizonPart(
  row: HorizonTyped,
  top: number,
  stored: HorizonPart | undefined,
  units: UnitSystem,
): HorizonPart {
  const byClass = row.texture !== "";
  return {
    ...stored,
    top_cm: top,
    bottom_cm: toServer(number(row.bottom), "soilDepth", units),
    texture: byClass ? row.texture : null,
    sand_fraction: byClass ? null : number(row.sand) / 100,
    clay_fraction: byClass ? null : number(row.clay) / 100,
    organic_matter_pct: number(row.organic),
    stones_fraction: number(row.stones) / 100,
    bulk_density_g_cm3: row.density.trim() === "" ? null : toServer(number(row.density), "density", units),
    restricts_roots: row.stops,
  };
}

interface HorizonProps {
  row: HorizonTyped;
  index: number;
  units: UnitSystem;
  change: (part: Partial<HorizonTyped>) => void;
}

export function HorizonEntries({ row, index, units, change }: HorizonProps) {
  const choices = useChoices();
  const entry = (name: keyof HorizonTyped, label: string) => (
    <Field
      label={label}
      inputMode="decimal"
      value={row[name] as string}
      onChange={(e) => change({ [name]: e.target.value })}
    />
  );
  return (
    <fieldset className="mt-3 border-t border-rule pt-2">
      <legend className="pr-3 font-bold">{say`Horizon ${index + 1}`}</legend>
      <div className="grid grid-cols-2 gap-x-4 gap-y-2 sm:grid-cols-4">
        {entry("bottom", say`Ends at, ${quantity("soilDepth", units).unit}`)}
        <Choice
          label={say`Texture`}
          value={row.texture}
          change={(texture) => change({ texture })}
          options={[
            { value: "", label: say`by sand and clay` },
            ...(choices.data?.textures ?? []).map((t) => ({ value: t, label: t })),
          ]}
        />
        {row.texture === "" && entry("sand", say`Sand, %`)}
        {row.texture === "" && entry("clay", say`Clay, %`)}
        {entry("organic", say`Organic matter, %`)}
        {entry("stones", say`Stones, % by volume`)}
        {entry("density", say`Bulk density, ${quantity("density", units).unit}`)}
        <label className="flex items-end gap-2 pb-2">
          <input type="checkbox" checked={row.stops} onChange={(e) => change({ stops: e.target.checked })} />
          <span>{say`stops roots`}</span>
        </label>
      </div>
    </fieldset>
  );
}
