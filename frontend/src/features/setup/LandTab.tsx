import { useState } from "react";
import { useUnits } from "../../app/farm";
import type { LonLat } from "../../charts/FarmMap";
import { say } from "../../lib/words";
import { draftOf, Entries, type Entry, RefusalNote, valuesOf } from "../../ui/entries";
import { OutlineEditor } from "./OutlineEditor";
import { SaveLine, type TabProps, useSaving } from "./saving";

const ENTRIES: Entry[] = [
  { name: "name", label: say`Name`, kind: "text" },
  { name: "area_ha", label: say`Area`, quantity: "area" },
  { name: "variety", label: say`Variety`, kind: "text" },
  { name: "planting_date", label: say`Planting or leaf-out date`, kind: "date" },
  { name: "row_spacing_m", label: say`Between rows`, quantity: "spacing" },
  { name: "plant_spacing_m", label: say`Between plants`, quantity: "spacing" },
  { name: "slope_pct", label: say`Slope, %` },
  { name: "min_set_mm", label: say`Smallest practical set, net`, quantity: "depth" },
  { name: "max_set_mm", label: say`Largest practical set, net`, quantity: "depth" },
];

export function LandTab({ block, document }: TabProps) {
  const units = useUnits();
  const [draft, setDraft] = useState(() =>
    draftOf(block as unknown as Record<string, unknown>, ENTRIES, units),
  );
  const [corners, setCorners] = useState<LonLat[]>((block.outline ?? []) as LonLat[]);
  const saving = useSaving([...ENTRIES.map((e) => e.name), "outline"]);
  const submit = () =>
    saving.save({
      blocks: [
        {
          key: block.key,
          crop: block.crop,
          soil: document.blocks[0]?.soil ?? "",
          ...valuesOf(draft, ENTRIES, units),
          outline: corners.length ? corners : null,
        } as typeof block,
      ],
    });
  const area = valuesOf(draft, ENTRIES, units).area_ha;
  return (
    <form
      className="grid gap-6 lg:grid-cols-[minmax(0,1fr)_minmax(0,1.3fr)]"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void submit();
      }}
    >
      <div>
        <div className="grid gap-x-5 gap-y-3 sm:grid-cols-2">
          <Entries
            entries={ENTRIES}
            draft={draft}
            change={(part) => setDraft((before) => ({ ...before, ...part }))}
            refused={saving.refused}
            units={units}
          />
        </div>
        <RefusalNote refused={saving.refused} />
        <SaveLine stored={saving.stored} pending={saving.pending} label={say`Save block`} />
      </div>
      <OutlineEditor
        blockKey={block.key}
        corners={corners}
        change={setCorners}
        enteredHa={typeof area === "number" ? area : null}
        takeArea={(ha) =>
          setDraft((before) => ({ ...before, ...draftOf({ area_ha: ha }, ENTRIES.slice(1, 2), units) }))
        }
        refused={saving.refused.outline}
      />
    </form>
  );
}
