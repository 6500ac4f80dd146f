import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { show, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { draftOf, Entries, type Entry, RefusalNote, valuesOf } from "../../ui/entries";
import { Choice } from "../../ui/Field";
import { BasinHelper, Redesign } from "./PracticeHelpers";
import { useSystemFacts } from "./queries";
import { SupplyPanel } from "./SupplyPanel";
import { SaveLine, type TabProps, useSaving } from "./saving";
import { KINDS, movingEntries, ownEntries, type SystemKind, systemPart } from "./systemEntries";
import { WettedHelper } from "./WettedHelper";

type Values = Record<string, unknown>;
const WETTED: Entry = {
  name: "wetted_fraction",
  label: say`Wetted area`,
  percent: true,
  hint: say`a wrong value doubles or halves every set`,
};

export function SystemTab({ document, block }: TabProps) {
  const units = useUnits();
  const stored = document.systems[0];
  const [kind, setKind] = useState<SystemKind>(stored?.kind ?? "drip");
  const moving = movingEntries(kind);
  const [own, setOwn] = useState(() => draftOf((stored ?? {}) as Values, ownEntries(kind), units));
  const [more, setMore] = useState(() =>
    moving ? draftOf((stored?.[moving.under] ?? {}) as Values, moving.entries, units) : {},
  );
  const [wetted, setWetted] = useState(() => draftOf(block as unknown as Values, [WETTED], units));
  const names = [...ownEntries(kind), ...(moving?.entries ?? []), WETTED].map((e) => e.name);
  const saving = useSaving(names);
  const base = {
    key: stored?.key ?? block.key,
    name: stored?.name ?? say`system of ${block.name ?? block.key}`,
    kind,
  };
  const part = systemPart(base, own, more, units);
  const save = () =>
    saving.save({
      systems: [part],
      blocks: [
        {
          key: block.key,
          crop: block.crop,
          area_ha: block.area_ha,
          soil: block.soil,
          system: base.key,
          ...valuesOf(wetted, [WETTED], units),
        } as Schemas["BlockPart"],
      ],
    });
  return (
    <div className="grid gap-8 lg:grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)]">
      <form
        noValidate
        onSubmit={(e) => {
          e.preventDefault();
          void save();
        }}
      >
        <div className="grid gap-x-5 gap-y-3 sm:grid-cols-2">
          <Choice label={say`System`} value={kind} change={(k) => setKind(k as SystemKind)} options={KINDS} />
          <Entries
            entries={[...ownEntries(kind), WETTED]}
            draft={{ ...own, ...wetted }}
            change={(p) =>
              "wetted_fraction" in p ? setWetted(p) : setOwn((before) => ({ ...before, ...p }))
            }
            refused={saving.refused}
            units={units}
          />
          {moving && (
            <Entries
              entries={moving.entries}
              draft={more}
              change={(p) => setMore((before) => ({ ...before, ...p }))}
              refused={saving.refused}
              units={units}
            />
          )}
        </div>
        {["drip", "buried drip", "micro"].includes(kind) && (
          <WettedHelper
            own={own}
            rowSpacing={block.row_spacing_m ?? null}
            topsoil={document.soils[0]?.horizons[0]}
            use={(share) => setWetted(draftOf({ wetted_fraction: share }, [WETTED], units))}
          />
        )}
        <RefusalNote refused={saving.refused} />
        <SaveLine stored={saving.stored} pending={saving.pending} label={say`Save system`} />
      </form>
      <div>
        <Facts part={part} areaHa={block.area_ha} units={units} />
        <Redesign blockKey={block.key} />
        <SupplyPanel document={document} block={block} />
        <BasinHelper />
      </div>
    </div>
  );
}

function Facts({ part, areaHa, units }: { part: Schemas["SystemPart"]; areaHa: number; units: UnitSystem }) {
  const facts = useSystemFacts({
    system: part,
    block_area_ha: areaHa,
    wetted_width_m: part.kind === "pivot" ? 15 : null,
  });
  if (facts.isError) return <p className="secondary">{say`Not enough yet: ${facts.error.message}`}</p>;
  if (!facts.data) return null;
  const f = facts.data;
  return (
    <section aria-label={say`What follows`} className="sheet p-4">
      <h2 className="text-[17px] font-bold">{say`What follows`}</h2>
      <dl className="mt-2 grid grid-cols-[1fr_auto] gap-y-1">
        <Fact label={say`puts on`} value={show(f.rate_mm_h, "rate", units)} />
        {f.flow_m3_h !== null && (
          <Fact label={say`asks of its supply`} value={show(f.flow_m3_h, "supplyFlow", units)} />
        )}
        {f.pivot_area_ha != null && <Fact label={say`circle`} value={show(f.pivot_area_ha, "area", units)} />}
        {f.depth_at_full_mm != null && (
          <Fact label={say`a turn at 100 %`} value={show(f.depth_at_full_mm, "depth", units)} />
        )}
        {f.end_rate_mm_h != null && (
          <Fact
            label={say`peak rate at the end, ${show(15, "length", units)} wide`}
            value={show(f.end_rate_mm_h, "rate", units)}
          />
        )}
        {f.sets != null && <Fact label={say`sets that cover the block`} value={String(f.sets)} />}
      </dl>
      {(f.notes ?? []).map((n) => (
        <p key={n} className="mt-2">
          <b>{say`Check:`}</b> {n}
        </p>
      ))}
    </section>
  );
}

function Fact({ label, value }: { label: string; value: string }) {
  return (
    <>
      <dt>{label}</dt>
      <dd className="figure text-right">{value}</dd>
    </>
  );
}
