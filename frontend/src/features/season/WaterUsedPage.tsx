import { useState } from "react";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useAsOf, useFarm, useUnits } from "../../app/farm";
import { newKey, useApply, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { clock, dated, wall } from "../../lib/dates";
import { quantity, show, toServer, type UnitSystem } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { Wide } from "../../ui/Wide";
import { cubic } from "./AccountLines";
import { useWaterUsed, type WaterUsed } from "./queries";

const day = (text: string) => dated(`${text}T00:00`);
const moment = (text: string) => `${dated(text)}, ${clock(wall(text))}`;

/** Water used in a time, for whoever has to account for it. */
export function WaterUsedPage() {
  const [asOf] = useAsOf();
  const [first, setFirst] = useState("");
  const [last, setLast] = useState("");
  const found = useWaterUsed(asOf, first, last);
  return (
    <div className="py-1">
      {found.isPending && <p className="secondary py-6">{say`Adding up the water …`}</p>}
      {found.isError && <p className="py-6">{found.error.message}</p>}
      {found.data && <Title used={found.data} />}
      <div className="no-print mt-2 flex flex-wrap items-end gap-3">
        <Field
          label={say`First day`}
          type="date"
          value={first || (found.data?.first_day ?? "")}
          onChange={(e) => setFirst(e.target.value)}
        />
        <Field
          label={say`Last day`}
          type="date"
          value={last || (found.data?.last_day ?? "")}
          onChange={(e) => setLast(e.target.value)}
        />
        <Button onClick={() => window.print()}>{say`Print report`}</Button>
        <a className="py-1.5 underline" href={tableOf(asOf, first, last)}>{say`Download CSV`}</a>
      </div>
      {found.data && <Report used={found.data} past={asOf !== undefined} />}
    </div>
  );
}

function tableOf(asOf: string | undefined, first: string, last: string): string {
  const asked = new URLSearchParams();
  if (asOf) asked.set("as_of", asOf);
  if (first) asked.set("first", first);
  if (last) asked.set("last", last);
  return `/api/water-used/table.csv${asked.size > 0 ? `?${asked}` : ""}`;
}

function Title({ used }: { used: WaterUsed }) {
  const units = useUnits();
  return (
    <>
      <h1>{say`${cubic(used.volume_m3, units)} used from ${day(used.first_day)} to ${day(used.last_day)}`}</h1>
      <p className="text-ink-2">{say`${used.farm}, ${show(used.area_ha, "area", units)}; as known on ${moment(used.as_of)}`}</p>
    </>
  );
}

function Report({ used, past }: { used: WaterUsed; past: boolean }) {
  const units = useUnits();
  return (
    <div className="mt-4 grid gap-x-7 gap-y-5 min-[1100px]:grid-cols-[minmax(0,1fr)_340px]">
      <Blocks used={used} units={units} />
      <aside className="grid gap-5 self-start">
        {used.supplies.map((supply) => (
          <Supply key={supply.key} supply={supply} units={units} />
        ))}
        {!past && used.supplies.length > 0 && <ReadMeter used={used} />}
        <section aria-label={say`How it was worked out`}>
          <h2 className="text-[17px] font-bold">{say`How it was worked out`}</h2>
          <ul>
            {used.method.map((words) => (
              <li key={words} className="border-t border-rule py-1.5">
                {words}.
              </li>
            ))}
          </ul>
        </section>
      </aside>
    </div>
  );
}

function Blocks({ used, units }: { used: WaterUsed; units: UnitSystem }) {
  return (
    <Wide label={say`Blocks`}>
      <table className="w-full text-left" aria-label={say`Water by block`}>
        <thead className="secondary">
          <tr>
            {[say`block`, say`water`, say`depth`, say`area`, say`sets`, say`measured`, say`supply`].map(
              (h, n) => (
                <th key={h} className={`pr-3 pb-1 font-normal ${n > 0 && n < 6 ? "text-right" : ""}`}>
                  {h}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {used.blocks.map((b) => (
            <tr key={b.key} className="border-t border-rule align-baseline">
              <th scope="row" className="py-1.5 pr-3 font-normal">
                <b>{b.name}</b>
                <span className="secondary block">{b.crops.map(sayCode).join(say`, then `)}</span>
              </th>
              <td className="figure pr-3 text-right whitespace-nowrap">{cubic(b.volume_m3, units)}</td>
              <td className="figure pr-3 text-right whitespace-nowrap">{show(b.depth_mm, "depth", units)}</td>
              <td className="figure pr-3 text-right whitespace-nowrap">{show(b.area_ha, "area", units)}</td>
              <td className="figure pr-3 text-right">{b.sets}</td>
              <td className="figure pr-3 text-right">{b.measured_sets}</td>
              <td>{b.supply || "–"}</td>
            </tr>
          ))}
        </tbody>
        <tfoot>
          <tr className="border-t border-ink font-bold">
            <th scope="row" className="py-1.5">{say`Together`}</th>
            <td className="figure pr-3 text-right whitespace-nowrap">{cubic(used.volume_m3, units)}</td>
            <td />
            <td className="figure pr-3 text-right whitespace-nowrap">{show(used.area_ha, "area", units)}</td>
            <td className="figure pr-3 text-right">{used.blocks.reduce((n, b) => n + b.sets, 0)}</td>
            <td className="figure pr-3 text-right">{used.blocks.reduce((n, b) => n + b.measured_sets, 0)}</td>
            <td />
          </tr>
        </tfoot>
      </table>
    </Wide>
  );
}

function Supply({ supply, units }: { supply: WaterUsed["supplies"][number]; units: UnitSystem }) {
  const meter = supply.meter;
  return (
    <section className="sheet p-4" aria-label={supply.name}>
      <h2 className="text-[17px] font-bold">{supply.name}</h2>
      <p>{say`${cubic(supply.volume_m3, units)} on record.`}</p>
      {meter && (
        <dl className="mt-1 grid grid-cols-[1fr_auto] gap-y-1">
          <dt>{say`Meter on ${moment(meter.first_at)}`}</dt>
          <dd className="figure text-right">{cubic(meter.first_m3, units)}</dd>
          <dt>{say`Meter on ${moment(meter.last_at)}`}</dt>
          <dd className="figure text-right">{cubic(meter.last_m3, units)}</dd>
          <dt className="border-t border-ink pt-1 font-bold">{say`It counted`}</dt>
          <dd className="figure border-t border-ink pt-1 text-right font-bold">
            {cubic(meter.counted_m3, units)}
          </dd>
          <dt>{say`On record between them`}</dt>
          <dd className="figure text-right">{cubic(meter.on_record_m3, units)}</dd>
        </dl>
      )}
      {supply.words.map((words) => (
        <p key={words} className={meter && !meter.agrees ? "mt-1 font-bold text-clay" : "secondary mt-1"}>
          {words[0]?.toUpperCase()}
          {words.slice(1)}.
        </p>
      ))}
      {supply.allowed_m3 !== null && supply.allowed_until && (
        <p className="secondary mt-1">{say`Allowed to ${day(supply.allowed_until)}: ${cubic(supply.allowed_m3, units)}.`}</p>
      )}
    </section>
  );
}

function ReadMeter({ used }: { used: WaterUsed }) {
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const may = useMay();
  const [who] = useWho();
  const [open, setOpen] = useState(false);
  const [supply, setSupply] = useState(used.supplies[0]?.key ?? "");
  if (!may("meter_readings")) return null;
  const store = (form: FormData) =>
    apply.mutateAsync({
      meter_readings: [
        {
          key: newKey("meter", farm),
          supply,
          at: textIn(form, "at"),
          meter_m3: toServer(Number(textIn(form, "meter_m3").replace(",", ".")), "volume", units),
          new_meter: form.get("new_meter") === "on",
          who,
        },
      ],
    });
  return (
    <p className="no-print">
      <Button onClick={() => setOpen(true)}>{say`Enter a meter reading`}</Button>
      {open && (
        <FormDialog
          title={say`Meter reading`}
          open
          close={() => setOpen(false)}
          store={store}
          label={say`Save reading`}
        >
          {(refused) => (
            <>
              <Choice
                label={say`Meter of`}
                value={supply}
                options={used.supplies.map((s) => ({ value: s.key, label: s.name }))}
                change={setSupply}
              />
              <Field
                label={say`Read at`}
                name="at"
                type="datetime-local"
                defaultValue={farm.now.slice(0, 16)}
                error={refused.at}
              />
              <Field
                label={say`It shows, ${quantity("volume", units).unit}`}
                name="meter_m3"
                inputMode="decimal"
                error={refused.meter_m3}
                required
              />
              <label className="flex items-center gap-2">
                <input type="checkbox" name="new_meter" className="accent-deep" />{" "}
                {say`the meter was changed, or turned over: it counts from here`}
              </label>
            </>
          )}
        </FormDialog>
      )}
    </p>
  );
}
