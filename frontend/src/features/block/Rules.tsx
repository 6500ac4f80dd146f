import { useState } from "react";
import type { Schemas } from "../../api/client";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { day, wall } from "../../lib/dates";
import { quantity, show, toServer, type UnitSystem } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { useRules, useRuling } from "./queries";
import { RulesDialog } from "./RulesDialog";

interface RulesProps {
  blockKey: string;
  asOf: string | undefined;
  today: string;
}

const DAY_OF = (text: string) => day(wall(`${text}T12:00`));

/** Rules, dry windows and orders of the block, each dated, none changed afterwards: only taken back. */
export function Rules({ blockKey, asOf, today }: RulesProps) {
  const found = useRules(blockKey, asOf);
  const ruling = useRuling(blockKey);
  const units = useUnits();
  const may = useMay();
  const [open, setOpen] = useState<"rules" | "window">();
  if (found.isPending) return <p className="secondary">{say`Looking …`}</p>;
  if (found.isError) return <p>{found.error.message}</p>;
  const { rules, windows, orders } = found.data;
  const back = (kind: Schemas["WithdrawIn"]["kind"], key: string) => (
    <button
      type="button"
      className="secondary underline"
      onClick={() => ruling.withdraw.mutate({ kind, key })}
    >{say`Withdraw`}</button>
  );
  return (
    <>
      {rules.length === 0 && (
        <p>{say`Refill the root zone when its allowable depletion is used. No other rule is entered.`}</p>
      )}
      {rules.map((r) => (
        <div key={r.key} className="border-b border-rule py-1.5">
          <p className="font-bold">{ruleTitle(r)}</p>
          <ul>
            {ruleWords(r, units).map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
          <p className="secondary">
            {[r.note, r.who].filter(Boolean).join(" · ")} {may("block_rules") && back("block_rules", r.key)}
          </p>
        </div>
      ))}
      {windows.map((w) => (
        <div key={w.key} className="border-b border-rule py-1.5">
          <p>{sayWith`${<b>{say`Dry for ${w.what}`}</b>} by ${DAY_OF(w.dry_by)}, until ${DAY_OF(w.until)}, down to ${show(w.top_cm, "soilDepth", units)}${w.ends_season ? say`; ends the season` : ""}`}</p>
          <p className="secondary">
            {[w.note, w.who].filter(Boolean).join(" · ")} {may("dry_windows") && back("dry_windows", w.key)}
          </p>
        </div>
      ))}
      {orders.map((o) => (
        <div key={o.key} className="border-b border-rule py-1.5">
          <p>{sayWith`${<b>{o.action === "hold" ? say`Held` : say`Ordered to water`}</b>} until ${DAY_OF(o.until)}: ${o.note}`}</p>
          <p className="secondary">
            {o.who} {may("orders") && back("orders", o.key)}
          </p>
        </div>
      ))}
      {may("block_rules") && (
        <div className="no-print mt-3 flex flex-wrap gap-3">
          <Button onClick={() => setOpen("rules")}>{say`Change the rules`}</Button>
          <Button onClick={() => setOpen("window")}>{say`Add a keep-dry period`}</Button>
        </div>
      )}
      {open === "rules" && (
        <RulesDialog
          blockKey={blockKey}
          before={rules.find((r) => !r.stage && !r.variety)}
          store={(body) => ruling.rules.mutateAsync(body)}
          close={() => setOpen(undefined)}
        />
      )}
      <WindowDialog
        open={open === "window"}
        close={() => setOpen(undefined)}
        today={today}
        store={(body) => ruling.window.mutateAsync(body)}
        units={units}
      />
    </>
  );
}

/** Rules in words, only those that ask for something. */
function ruleTitle(r: Schemas["RulesOut"]): string {
  const stage = r.stage ? say`In the ${r.stage} stage` : say`Rules`;
  return r.variety ? say`${stage}, while ${r.variety} stands` : stage;
}

function ruleWords(r: Schemas["RulesOut"], units: UnitSystem): string[] {
  const mm = (value: number) => show(value, "depth", units);
  const found = [
    r.trigger === "any layer" && say`water when the first layer passes its refill point`,
    r.trigger === "upper tension" &&
      say`water when the sensors down to ${show(r.tension_to_cm ?? 0, "soilDepth", units)} reach ${show(r.tension_kpa ?? 0, "tension", units)}`,
    r.cautious && say`use the cautious date (1 chance in 10 that it is needed sooner)`,
    r.lead_days > 0 && say`${r.lead_days} days for the system to come round`,
    r.rain_room_mm !== null && say`keep ${mm(r.rain_room_mm)} free for rain`,
    r.fill_share < 1 && say`fill to ${Math.round(100 * r.fill_share)} % of available water`,
    r.fixed_dose_mm !== null && say`a set dose of ${mm(r.fixed_dose_mm)} net`,
    r.ec_water_ds_m !== null && say`leach for water of ${r.ec_water_ds_m} dS/m`,
    r.max_rate_mm_h !== null && say`the soil takes ${show(r.max_rate_mm_h, "rate", units)}, measured`,
    r.managed_depth_cm != null &&
      say`refill the soil down to ${show(r.managed_depth_cm, "soilDepth", units)}`,
    r.last_day !== null && say`no water needed after ${DAY_OF(r.last_day)}`,
    r.end_share !== null && say`${Math.round(100 * r.end_share)} % of available water may be used by then`,
  ].filter((text): text is string => Boolean(text));
  return found.length ? found : [say`refill the root zone when its allowable depletion is used`];
}

interface WindowProps {
  open: boolean;
  close: () => void;
  today: string;
  store: (body: Schemas["WindowIn"]) => Promise<unknown>;
  units: UnitSystem;
}

function WindowDialog({ open, close, today, store, units }: WindowProps) {
  const [what, setWhat] = useState<Schemas["WindowIn"]["what"]>("spraying");
  const save = (form: FormData) =>
    store({
      what,
      dry_by: textIn(form, "dry_by"),
      until: textIn(form, "until"),
      top_cm: toServer(Number(textIn(form, "top_cm").replace(",", ".")), "soilDepth", units),
      ends_season: form.get("ends_season") === "on",
      note: textIn(form, "note"),
    });
  return (
    <FormDialog title={say`Keep-dry period`} open={open} close={close} store={save} label={say`Save`}>
      {(refused) => (
        <>
          <Choice
            label={say`For`}
            value={what}
            options={["spraying", "cutting", "traffic", "harvest"].map((v) => ({ value: v, label: v }))}
            change={(v) => setWhat(v as Schemas["WindowIn"]["what"])}
          />
          <Field
            label={say`Dry by`}
            name="dry_by"
            type="date"
            defaultValue={today}
            error={refused.dry_by}
            required
          />
          <Field
            label={say`Until`}
            name="until"
            type="date"
            defaultValue={today}
            error={refused.until}
            required
          />
          <Field
            label={say`Down to, ${quantity("soilDepth", units).unit}`}
            name="top_cm"
            inputMode="decimal"
            defaultValue={show(30, "soilDepth", units, false)}
            error={refused.top_cm}
          />
          <label className="flex items-center gap-2">
            <input type="checkbox" name="ends_season" className="accent-deep" />{" "}
            {say`no water after it this season`}
          </label>
          <Field label={say`Note`} name="note" error={refused.note} />
        </>
      )}
    </FormDialog>
  );
}
