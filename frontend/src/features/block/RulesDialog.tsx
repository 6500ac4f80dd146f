import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, unwrap } from "../../api/client";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useUnits } from "../../app/farm";
import { type QuantityName, quantity, toInput, toServer } from "../../lib/units";
import { say } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";
import { useStages } from "./queries";

type Trigger = Schemas["RulesOut"]["trigger"];
type Stage = NonNullable<Schemas["RulesIn"]["stage"]>;

interface RulesDialogProps {
  before: Schemas["RulesOut"] | undefined;
  /** A depth proposed to refill down to, and what speaks for it. */
  managedCm?: number;
  note?: string;
  blockKey: string;
  store: (body: Schemas["RulesIn"]) => Promise<unknown>;
  close: () => void;
}

interface Entry {
  name: keyof Schemas["RulesOut"];
  label: string;
  quantity?: QuantityName;
  unit?: string;
  percent?: boolean;
  hint?: string;
}

const ENTRIES: Entry[] = [
  {
    name: "lead_days",
    label: say`Lead time`,
    unit: "days",
    hint: say`time the system or its rotation needs to come round`,
  },
  {
    name: "rain_room_mm",
    label: say`Room kept for rain, net`,
    quantity: "depth",
    hint: say`left empty: by the forecast`,
  },
  { name: "fill_share", label: say`Fill to, share of available water`, unit: "%", percent: true },
  {
    name: "fixed_dose_mm",
    label: say`Set dose, net`,
    quantity: "depth",
    hint: say`instead of the depletion`,
  },
  { name: "ec_water_ds_m", label: say`Salinity of the water`, unit: "dS/m", hint: say`asks for leaching` },
  {
    name: "ec_soil_ds_m",
    label: say`Salinity the crop bears`,
    unit: "dS/m",
    hint: say`left empty: FAO-29 Table 4`,
  },
  { name: "max_rate_mm_h", label: say`Measured intake of the soil`, quantity: "rate" },
  {
    name: "managed_depth_cm",
    label: say`Refill the soil down to`,
    quantity: "soilDepth",
    hint: say`left empty: as deep as the roots`,
  },
  {
    name: "trigger_share",
    label: say`Water at this share of the depletion allowed`,
    unit: "%",
    percent: true,
    hint: say`less than 100 is shorter and more often`,
  },
  {
    name: "shrinkage_most",
    label: say`Trunks may shrink, times full trees`,
    unit: "×",
    hint: say`stressed beyond it brings water forward; 1.3 is mild`,
  },
  {
    name: "trunk_growth_mm_d",
    label: say`Trunk growth planned`,
    quantity: "use",
    hint: say`with less shrinkage and this growth, water waits`,
  },
  {
    name: "end_share",
    label: say`Share of available water that may be used by the last day`,
    unit: "%",
    percent: true,
  },
];

/** The rules of a block from today on; those before stay in the record. */
export function RulesDialog({ before, managedCm, note, blockKey, store, close }: RulesDialogProps) {
  const units = useUnits();
  const [trigger, setTrigger] = useState<Trigger>(before?.trigger ?? "root zone");
  const [stage, setStage] = useState<Stage>("");
  const stages = useStages(blockKey);
  const number = (form: FormData, { name, quantity: kind, percent }: Entry): number | null => {
    const text = textIn(form, name).replace(",", ".");
    if (text === "") return null;
    const value = Number(text);
    return percent ? value / 100 : kind ? toServer(value, kind, units) : value;
  };
  const save = (form: FormData) => {
    const values = Object.fromEntries(ENTRIES.map((e) => [e.name, number(form, e)]));
    return store({
      ...values,
      stage,
      variety: form.get("this_variety") === "on" ? (stages.data?.variety ?? "") : "",
      valid_from: textIn(form, "valid_from") || null,
      trigger,
      lead_days: values.lead_days ?? 0,
      fill_share: values.fill_share ?? 1,
      trigger_share: values.trigger_share ?? 1,
      reading_sensor: trigger === "reading" ? textIn(form, "reading_sensor") || null : null,
      reading_value: trigger === "reading" ? number(form, { name: "reading_value", label: "" }) : null,
      reading_drier: trigger === "reading" ? textIn(form, "reading_drier") || null : null,
      surface_days: trigger === "surface" ? number(form, { name: "surface_days", label: "" }) : null,
      tension_kpa: trigger === "upper tension" ? number(form, { name: "tension_kpa", label: "" }) : null,
      tension_to_cm:
        trigger === "upper tension"
          ? number(form, { name: "tension_to_cm", label: "", quantity: "soilDepth" })
          : null,
      cautious: form.get("cautious") === "on",
      follow_fruit: form.get("follow_fruit") === "on",
      last_day: textIn(form, "last_day") || null,
      note: textIn(form, "note"),
    } as Schemas["RulesIn"]);
  };
  const shown = ({ name, quantity: kind, percent }: Entry): string => {
    const value = name === "managed_depth_cm" && managedCm !== undefined ? managedCm : before?.[name];
    if (typeof value !== "number") return "";
    if (percent) return String(Math.round(100 * value));
    return kind ? toInput(value, kind, units) : String(value);
  };
  return (
    <FormDialog
      title={say`Rules from today on`}
      open
      close={close}
      store={save}
      label={say`Use from this day`}
    >
      {(refused) => (
        <>
          <div className="grid grid-cols-2 gap-3">
            <Choice
              label={say`Water is due by`}
              value={trigger}
              options={[
                { value: "root zone", label: say`the root zone's depletion` },
                { value: "any layer", label: say`the first layer past refill` },
                { value: "upper tension", label: say`tension of the upper sensors` },
                { value: "reading", label: say`one sensor's reading` },
                { value: "surface", label: say`light sets that keep the surface moist` },
              ]}
              change={(v) => setTrigger(v as Trigger)}
              error={refused.trigger}
            />
            <Choice
              label={say`In`}
              value={stage}
              options={[
                { value: "", label: say`all stages` },
                ...["initial", "development", "mid", "late"].map((s) => ({
                  value: s,
                  label: say`the ${s} stage`,
                })),
                ...(stages.data?.names ?? [])
                  .filter((n) => n.name !== n.stage)
                  .map((n) => ({ value: n.name, label: say`from ${n.name}` })),
              ]}
              change={(v) => setStage(v as Stage)}
            />
          </div>
          {stages.data?.variety && (
            <label className="flex items-center gap-2">
              <input type="checkbox" name="this_variety" className="accent-deep" />{" "}
              {say`only while ${stages.data.variety} stands here`}
            </label>
          )}
          {trigger === "upper tension" && (
            <div className="grid grid-cols-2 gap-3">
              <Field
                label={say`At, ${quantity("tension", units).unit}`}
                name="tension_kpa"
                inputMode="decimal"
                defaultValue={before?.tension_kpa ?? ""}
                error={refused.tension_kpa}
              />
              <Field
                label={say`Sensors down to, ${quantity("soilDepth", units).unit}`}
                name="tension_to_cm"
                inputMode="decimal"
                defaultValue={before?.tension_to_cm ? toInput(before.tension_to_cm, "soilDepth", units) : ""}
                error={refused.tension_to_cm}
              />
            </div>
          )}
          {trigger === "reading" && <ReadingEntries before={before} blockKey={blockKey} refused={refused} />}
          {trigger === "surface" && (
            <Field
              label={say`Days between light sets`}
              name="surface_days"
              inputMode="decimal"
              defaultValue={before?.surface_days ?? ""}
              hint={say`for germination or tillering; give their depth as the set dose`}
              error={refused.surface_days}
            />
          )}
          <div className="grid grid-cols-2 gap-3">
            {ENTRIES.map((entry) => (
              <Field
                key={entry.name}
                label={say`${entry.label}, ${entry.unit ?? quantity(entry.quantity ?? "depth", units).unit}`}
                name={entry.name}
                inputMode="decimal"
                defaultValue={shown(entry)}
                {...(entry.hint ? { hint: entry.hint } : {})}
                error={refused[entry.name]}
              />
            ))}
            <Field
              label={say`From`}
              name="valid_from"
              type="date"
              hint={say`left empty: from today; a deficit may start later`}
              error={refused.valid_from}
            />
            <Field
              label={say`No water needed after`}
              name="last_day"
              type="date"
              defaultValue={before?.last_day ?? ""}
              error={refused.last_day}
            />
          </div>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              name="cautious"
              defaultChecked={before?.cautious}
              className="accent-deep"
            />{" "}
            {say`use the cautious date (1 chance in 10 that it is needed sooner)`}
          </label>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              name="follow_fruit"
              defaultChecked={before?.follow_fruit}
              className="accent-deep"
            />{" "}
            {say`follow the fruit: behind its path brings water forward, ahead of it lets water wait`}
          </label>
          <Field label={say`Why`} name="note" defaultValue={note ?? ""} error={refused.note} />
        </>
      )}
    </FormDialog>
  );
}

/** Which sensor's reading calls for water, at which value, and which way it goes. */
function ReadingEntries({
  before,
  blockKey,
  refused,
}: {
  before: Schemas["RulesOut"] | undefined;
  blockKey: string;
  refused: Record<string, string>;
}) {
  const sensors = useQuery({
    queryKey: ["sensors"],
    queryFn: async () => unwrap(await api.GET("/api/sensors")),
  });
  const mine = (sensors.data?.sensors ?? []).filter(
    (s) => s.ref.startsWith(`${blockKey}/`) && !s.ref.includes("."),
  );
  const select = "w-full rounded-sheet border border-rule bg-panel px-2 py-1.5";
  if (sensors.isPending) return <p className="secondary">{say`Looking for sensors …`}</p>;
  return (
    <div className="grid grid-cols-3 gap-3">
      <label>
        <span className="block text-[13px] font-bold">{say`Sensor`}</span>
        <select name="reading_sensor" className={select} defaultValue={before?.reading_sensor ?? ""}>
          {mine.map((s) => (
            <option key={s.ref} value={s.ref}>
              {s.ref.slice(blockKey.length + 1)} ({s.raw_unit})
            </option>
          ))}
        </select>
        {refused.reading_sensor && <span className="font-bold text-clay">{refused.reading_sensor}</span>}
      </label>
      <Field
        label={say`Shows, in its own unit`}
        name="reading_value"
        inputMode="decimal"
        defaultValue={before?.reading_value ?? ""}
        error={refused.reading_value}
      />
      <label>
        <span className="block text-[13px] font-bold">{say`As the soil dries it`}</span>
        <select name="reading_drier" className={select} defaultValue={before?.reading_drier ?? ""}>
          <option value="">{say`goes by its unit`}</option>
          <option value="higher">{say`rises`}</option>
          <option value="lower">{say`falls`}</option>
        </select>
      </label>
    </div>
  );
}
