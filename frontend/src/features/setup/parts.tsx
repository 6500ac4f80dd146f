import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { type QuantityName, quantity, rawUnitWord, show, type UnitSystem } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Entries } from "../../ui/entries";
import { Choice, Field } from "../../ui/Field";
import { lacksOf } from "./CropField";
import type { Draft } from "./draft";
import { KINDS, movingEntries } from "./systemEntries";

interface PartProps {
  draft: Draft;
  change: (part: Partial<Draft>) => void;
  refused: Record<string, string>;
  choices: Schemas["ChoicesOut"] | undefined;
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <fieldset className="mt-5 border-t border-rule pt-2">
      <legend className="pr-3 text-[17px] font-bold">{title}</legend>
      <div className="mt-1 grid gap-x-5 gap-y-3 sm:grid-cols-2 lg:grid-cols-4">{children}</div>
    </fieldset>
  );
}

interface EntryProps extends PartProps {
  field: { [K in keyof Draft]: Draft[K] extends string ? K : never }[keyof Draft];
  label: string;
  hint?: string;
  list?: string;
  text?: boolean;
}

function Entry({ draft, change, refused, field, label, hint, list, text }: EntryProps) {
  return (
    <Field
      label={label}
      hint={hint}
      list={list}
      name={field}
      inputMode={text ? "text" : "decimal"}
      value={draft[field] as string}
      error={refused[field]}
      onChange={(e) => change({ [field]: e.target.value })}
    />
  );
}

const unit = (name: QuantityName, draft: Draft) => quantity(name, draft.units).unit;

export function FarmPart(props: PartProps) {
  const zones = Intl.supportedValuesOf("timeZone");
  return (
    <Part title={say`Farm`}>
      <Entry {...props} field="farmName" label={say`Name of the farm`} text />
      <Entry {...props} field="timeZone" label={say`Time zone`} list="time-zones" text />
      <datalist id="time-zones">
        {zones.map((z) => (
          <option key={z} value={z} />
        ))}
      </datalist>
      <Choice
        label={say`Units`}
        value={props.draft.units}
        change={(units) => props.change({ units: units as UnitSystem })}
        options={[
          { value: "metric", label: say`mm, cm, ha` },
          { value: "us", label: say`inches, feet, acres` },
        ]}
      />
    </Part>
  );
}

export function BlockPart(props: PartProps) {
  const { draft, choices } = props;
  const wanted = draft.crop.trim().toLowerCase();
  const crop = choices?.crops.find((c) => c.crop === wanted || c.crop.startsWith(`${wanted} `));
  const known = wanted && crop ? crop : undefined;
  const tabled = known
    ? say`FAO-56 Table 22: ${show(known.root_depth_cm, "soilDepth", draft.units)}`
    : say`not in the crop table: enter it`;
  const share = known
    ? say`FAO-56 Table 22: ${Math.round(known.allowable_depletion_fraction * 100)} %`
    : say`not in the crop table: enter it`;
  return (
    <Part title={say`Block`}>
      <Entry {...props} field="name" label={say`Name`} text />
      <Entry {...props} field="crop" label={say`Crop`} list="crops" hint={known ? lacksOf(known) : ""} text />
      <datalist id="crops">
        {choices?.crops.map((c) => (
          <option key={c.crop} value={c.crop}>
            {lacksOf(c)}
          </option>
        ))}
      </datalist>
      <Entry {...props} field="area" label={say`Area, ${unit("area", draft)}`} />
      <span className="hidden lg:block" />
      <Entry
        {...props}
        field="rootDepth"
        label={say`Root depth, ${unit("soilDepth", draft)}`}
        hint={wanted ? tabled : ""}
      />
      <Entry
        {...props}
        field="allowable"
        label={say`Allowable depletion, % of available`}
        hint={wanted ? share : ""}
      />
      <Entry
        {...props}
        field="minSet"
        label={say`Smallest practical set, net ${unit("depth", draft)}`}
        hint={say`may be left empty`}
      />
      <Entry
        {...props}
        field="maxSet"
        label={say`Largest practical set, net ${unit("depth", draft)}`}
        hint={say`may be left empty`}
      />
    </Part>
  );
}

export function SoilPart(props: PartProps) {
  const { draft, change, refused, choices } = props;
  const set = (index: number, part: Partial<Draft["horizons"][number]>) =>
    change({ horizons: draft.horizons.map((h, i) => (i === index ? { ...h, ...part } : h)) });
  const add = () => {
    const last = draft.horizons[draft.horizons.length - 1];
    const id = Math.max(0, ...draft.horizons.map((h) => h.id)) + 1;
    change({
      horizons: [...draft.horizons, { id, bottom: "", texture: last?.texture ?? "loam", stones: "0" }],
    });
  };
  return (
    <Part title={say`Soil, from the surface down`}>
      <div className="grid gap-2 sm:col-span-2 lg:col-span-3">
        {draft.horizons.map((h, i) => (
          <div key={h.id} className="grid grid-cols-3 gap-3">
            <Field
              label={say`Horizon ${i + 1} ends at, ${unit("soilDepth", draft)}`}
              value={h.bottom}
              inputMode="decimal"
              onChange={(e) => set(i, { bottom: e.target.value })}
            />
            <Choice
              label={say`Texture`}
              value={h.texture}
              change={(texture) => set(i, { texture })}
              options={(choices?.textures ?? [h.texture]).map((t) => ({ value: t, label: t }))}
            />
            <Field
              label={say`Stones, % by volume`}
              value={h.stones}
              inputMode="decimal"
              onChange={(e) => set(i, { stones: e.target.value })}
            />
          </div>
        ))}
        {refused.horizons && <p className="text-[13px] font-bold text-clay">{refused.horizons}</p>}
        <div className="flex gap-4">
          <button type="button" className="underline" onClick={add}>{say`add a layer below`}</button>
          {draft.horizons.length > 1 && (
            <button
              type="button"
              className="underline"
              onClick={() => change({ horizons: draft.horizons.slice(0, -1) })}
            >{say`delete the last`}</button>
          )}
        </div>
      </div>
      <Entry {...props} field="organic" label={say`Organic matter, %`} />
    </Part>
  );
}

export function SystemPart(props: PartProps) {
  const { draft, change, refused } = props;
  const moving = movingEntries(draft.kind);
  const wetsAll = draft.kind === "sprinkler" || moving !== null;
  const outlet = draft.kind === "sprinkler" ? say`sprinkler` : say`emitter`;
  return (
    <Part title={say`Irrigation system`}>
      <Choice
        label={say`System`}
        value={draft.kind}
        change={(kind) => change({ kind: kind as Draft["kind"] })}
        options={KINDS}
      />
      <Entry {...props} field="efficiency" label={say`Efficiency, %`} />
      <Entry
        {...props}
        field="wetted"
        label={say`Wetted area, %`}
        hint={wetsAll ? say`100 if empty` : say`a wrong value doubles or halves every set`}
      />
      <span className="hidden lg:block" />
      {moving ? (
        <Entries
          entries={moving.entries}
          draft={draft.moving}
          change={(part) => change({ moving: { ...draft.moving, ...part } })}
          refused={refused}
          units={draft.units}
        />
      ) : (
        <>
          <Entry {...props} field="flow" label={say`Flow of one ${outlet}, ${unit("flow", draft)}`} />
          <Entry {...props} field="spacing" label={say`Between ${outlet}s, ${unit("spacing", draft)}`} />
          <Entry
            {...props}
            field="lineSpacing"
            label={say`Between lines, ${unit("spacing", draft)}`}
            hint={say`two lines a row: half the row spacing`}
          />
        </>
      )}
    </Part>
  );
}

export function StationPart(props: PartProps) {
  const { draft, change } = props;
  const crop = props.choices?.crops.find((c) => c.crop === draft.crop);
  const cm = (depth: number, withUnit = true) => show(depth, "soilDepth", draft.units, withUnit);
  return (
    <Part title={say`Station and sensors`}>
      <Entry {...props} field="station" label={say`Name of the station`} text />
      <div className="sm:col-span-2">
        <Entry
          {...props}
          field="depths"
          label={say`Sensor depths, ${unit("soilDepth", draft)}, from the top`}
          hint={
            crop
              ? say`for all of the roots of ${sayCode(crop.crop)}, to ${cm(crop.root_depth_cm)}, for example ${crop.sensor_depths_cm.map((depth) => cm(depth, false)).join(" ")}`
              : say`for example 10 20 30 40 60 80`
          }
          text
        />
      </div>
      <Choice
        label={say`The logger gives`}
        value={draft.rawUnit}
        change={(rawUnit) => change({ rawUnit })}
        options={[
          { value: "%", label: say`water content, %` },
          { value: "m3/m3", label: say`water content, ${rawUnitWord("m3/m3", draft.units)}` },
          { value: "count", label: say`raw counts, to be calibrated` },
          { value: "mV", label: say`millivolts, to be calibrated` },
          { value: "permittivity", label: "permittivity" },
          { value: "kPa", label: say`tension, ${rawUnitWord("kPa", draft.units)}` },
          { value: "ohm", label: say`resistance of matrix sensors, ohm` },
        ]}
      />
    </Part>
  );
}
