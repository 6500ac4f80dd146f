import { useState } from "react";
import type { Schemas } from "../../api/client";
import { errorsOf, useDelete } from "../../app/records";
import { dated } from "../../lib/dates";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { RefusalNote, type Refusals, refusalsByName } from "../../ui/entries";
import { Choice, Field } from "../../ui/Field";
import { type Bench, useApply } from "./queries";

type Device = Schemas["DeviceLine"];
const TYPES = [
  "profile probe",
  "capacitance sensor",
  "home-made capacitance sensor",
  "granular matrix sensor",
  "tensiometer",
  "other",
];

export function Register({ bench }: { bench: Bench }) {
  const [find, setFind] = useState("");
  const [open, setOpen] = useState<string>();
  const wanted = find.trim().toLowerCase();
  const shown = bench.devices.filter((d) =>
    [d.key, d.type, d.serial, d.batch, d.state, d.where].some((t) => t.toLowerCase().includes(wanted)),
  );
  return (
    <div className="grid gap-8 lg:grid-cols-[minmax(0,1.7fr)_minmax(0,1fr)]">
      <div className="min-w-0">
        <div className="flex flex-wrap items-end justify-between gap-3">
          <Field
            data-find
            label={say`Find`}
            value={find}
            onChange={(e) => setFind(e.target.value)}
            className="w-56"
          />
          <p className="secondary">{say`In stock: ${
            Object.entries(bench.stock)
              .map(([type, n]) => say`${n} × ${type}`)
              .join(", ") || say`nothing`
          }`}</p>
        </div>
        <div className="relative overflow-x-auto">
          <table className="mt-3 w-full text-left [&_td]:pr-3">
            <thead className="secondary">
              <tr>
                {[say`device`, say`type`, say`batch`, say`state`, say`where`, ""].map((h) => (
                  <th key={h} className="font-normal">
                    {h || <span className="sr-only">{say`to do`}</span>}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown.map((d) => (
                <DeviceRows
                  key={d.key}
                  device={d}
                  open={open === d.key}
                  toggle={() => setOpen(open === d.key ? undefined : d.key)}
                />
              ))}
            </tbody>
          </table>
        </div>
      </div>
      <NewDevices bench={bench} />
    </div>
  );
}

function DeviceRows({ device: d, open, toggle }: { device: Device; open: boolean; toggle: () => void }) {
  const remove = useDelete();
  return (
    <>
      <tr className="border-t border-rule align-baseline">
        <td className="py-1 font-bold">{d.key}</td>
        <td>{sayCode(d.type)}</td>
        <td>{d.batch}</td>
        <td>{d.state === "rejected" ? <b>{say`✕ rejected`}</b> : sayCode(d.state)}</td>
        <td className="figure text-[13px]">{sayCode(d.where)}</td>
        <td>
          <button
            type="button"
            className="underline"
            aria-expanded={open}
            onClick={toggle}
          >{say`history`}</button>
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={6} className="pb-2 pl-4">
            <ul>
              {d.serial && <li>{say`serial ${d.serial}`}</li>}
              {d.cost !== null && (
                <li>{say`bought for ${d.cost}${d.bought_on ? say` on ${dated(d.bought_on)}` : ""}`}</li>
              )}
              {d.note && <li>{d.note}</li>}
              {d.history.map((h) => (
                <li key={h}>{h}</li>
              ))}
            </ul>
            <button
              type="button"
              className="underline"
              onClick={() => void remove({ kind: "devices", key: d.key, name: d.key })}
            >{say`delete`}</button>
          </td>
        </tr>
      )}
    </>
  );
}

function NewDevices({ bench }: { bench: Bench }) {
  const apply = useApply();
  const [type, setType] = useState(TYPES[0] ?? "");
  const [draft, setDraft] = useState({
    prefix: "",
    count: "1",
    batch: "",
    cost: "",
    shelf: "",
    bought_on: "",
  });
  const [refused, setRefused] = useState<Refusals>({});
  const entry = (name: keyof typeof draft, label: string, hint = "") => (
    <Field
      label={label}
      hint={hint}
      type={name === "bought_on" ? "date" : "text"}
      value={draft[name]}
      error={refused[name]}
      onChange={(e) => setDraft({ ...draft, [name]: e.target.value })}
    />
  );
  const store = async () => {
    const count = Number(draft.count);
    const known = new Set(bench.devices.map((d) => d.key));
    const prefix = draft.prefix.trim().toLowerCase();
    if (!Number.isInteger(count) || count < 1 || count > 200) return setRefused({ count: "1 to 200" });
    const keys = [];
    for (let n = 1; keys.length < count; n += 1) {
      const key = count === 1 && n === 1 ? prefix : `${prefix}-${n}`;
      if (!known.has(key)) keys.push(key);
    }
    try {
      await apply.mutateAsync({
        devices: keys.map((key) => ({
          key,
          type,
          batch: draft.batch,
          shelf: draft.shelf,
          cost: draft.cost.trim() === "" ? null : Number(draft.cost.replace(",", ".")),
          bought_on: draft.bought_on || null,
        })) as Schemas["DevicePart"][],
      });
      setRefused({});
      setDraft({ ...draft, prefix: "", count: "1" });
    } catch (error) {
      setRefused(refusalsByName(errorsOf(error), [say`batch`, "cost", "shelf", "bought_on"]));
    }
  };
  return (
    <form
      className="grid content-start gap-3"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void store();
      }}
    >
      <h2 className="text-[17px] font-bold">{say`Add sensors`}</h2>
      <Choice
        label={say`Type`}
        value={type}
        change={setType}
        options={TYPES.map((t) => ({ value: t, label: t }))}
      />
      <div className="grid grid-cols-2 gap-3">
        {entry("prefix", say`Name`, say`small letters, numbers, dashes`)}
        {entry("count", say`How many`, say`numbered from 1`)}
        {entry("batch", say`Batch`)}
        {entry("cost", say`Cost of one`)}
        {entry("bought_on", say`Bought on`)}
        {entry("shelf", say`Stored at`)}
      </div>
      <RefusalNote refused={refused} />
      <p>
        <Button kind="ink" type="submit" disabled={apply.isPending}>{say`Add sensors`}</Button>
      </p>
    </form>
  );
}
