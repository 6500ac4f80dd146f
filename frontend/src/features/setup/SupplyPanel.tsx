import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { quantity } from "../../lib/units";
import { say } from "../../lib/words";
import { draftOf, Entries, type Entry, RefusalNote, valuesOf } from "../../ui/entries";
import { keyOf } from "./draft";
import { SaveLine, type TabProps, useSaving } from "./saving";

const ENTRIES: Entry[] = [
  { name: "name", label: say`Name of the supply`, kind: "text" },
  { name: "flow_m3_h", label: say`Largest flow`, quantity: "supplyFlow" },
  { name: "hours_per_day", label: say`Hours a day` },
];

type Tariff = Schemas["TariffPart"];

/** The pump or turnout that feeds the block. */
export function SupplyPanel({ document, block }: Pick<TabProps, "document" | "block">) {
  const units = useUnits();
  const volume = quantity("volume", units);
  const stored = document.supplies[0];
  const [draft, setDraft] = useState(() =>
    draftOf((stored ?? {}) as Record<string, unknown>, ENTRIES, units),
  );
  const [tariffs, setTariffs] = useState<Tariff[]>(stored?.tariffs ?? []);
  const saving = useSaving([...ENTRIES.map((e) => e.name), "tariffs"]);
  const save = () => {
    const key = stored?.key ?? (keyOf(draft.name ?? "") || "supply");
    return saving.save({
      supplies: [{ key, ...valuesOf(draft, ENTRIES, units), tariffs } as Schemas["SupplyPart"]],
      blocks: [
        {
          key: block.key,
          crop: block.crop,
          area_ha: block.area_ha,
          soil: block.soil,
          supply: key,
        } as Schemas["BlockPart"],
      ],
    });
  };
  const change = (index: number, part: Partial<Tariff>) =>
    setTariffs((before) => before.map((t, i) => (i === index ? { ...t, ...part } : t)));
  return (
    <form
      className="mt-6"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      <h2 className="text-[17px] font-bold">{say`Supply`}</h2>
      <div className="mt-1 grid gap-x-5 gap-y-3 sm:grid-cols-2">
        <Entries
          entries={ENTRIES}
          draft={draft}
          change={(p) => setDraft((before) => ({ ...before, ...p }))}
          refused={saving.refused}
          units={units}
        />
      </div>
      {tariffs.map((t, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: windows are known by their order
        <div key={i} className="mt-2 flex flex-wrap items-center gap-2">
          <span>{say`from`}</span>
          <Small
            label={say`Tariff starts`}
            type="time"
            value={t.start}
            change={(start) => change(i, { start })}
          />
          <span>{say`to`}</span>
          <Small label={say`Tariff ends`} type="time" value={t.end} change={(end) => change(i, { end })} />
          <Small
            label={say`Price per ${volume.unit}`}
            type="number"
            value={String(Number((t.price / volume.factor).toPrecision(4)))}
            change={(p) => change(i, { price: Number(p) * volume.factor })}
          />
          <span>{say`per ${volume.unit}`}</span>
          <button
            type="button"
            className="underline"
            onClick={() => setTariffs(tariffs.filter((_, n) => n !== i))}
          >{say`Delete`}</button>
        </div>
      ))}
      <button
        type="button"
        className="mt-2 underline"
        onClick={() => setTariffs([...tariffs, { start: "00:00", end: "08:00", price: 0.1 }])}
      >{say`add a tariff period`}</button>
      {saving.refused.tariffs && <p className="font-bold text-clay">{saving.refused.tariffs}</p>}
      <RefusalNote refused={saving.refused} />
      <SaveLine stored={saving.stored} pending={saving.pending} label={say`Save supply`} />
    </form>
  );
}

function Small(props: { label: string; type: string; value: string; change: (value: string) => void }) {
  return (
    <input
      aria-label={props.label}
      type={props.type}
      step="any"
      className="w-28 rounded-sheet border border-rule bg-panel px-2 py-1"
      value={props.value}
      onChange={(e) => props.change(e.target.value)}
    />
  );
}
