import { useState } from "react";
import { useFarm } from "../../app/farm";
import { type Sheet, useApply } from "./queries";
import { stationChange } from "./stationParts";

/** Which other blocks the station stands for, and why it should not. */
export function StandsFor({ sheet }: { sheet: Sheet }) {
  const farm = useFarm();
  const apply = useApply();
  const [chosen, setChosen] = useState(sheet.stands_for);
  const others = farm.blocks.filter((b) => b.key !== sheet.line.block);
  if (others.length === 0) return null;
  const set = (stands_for: string[]) => {
    setChosen(stands_for);
    apply.mutate({
      blocks: [stationChange(farm, sheet, { stands_for })],
    });
  };
  return (
    <details className="mt-5" open={sheet.stands_for.length > 0}>
      <summary className="cursor-pointer font-bold">Stands for other blocks too</summary>
      <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1">
        {others.map((b) => (
          <label key={b.key} className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={chosen.includes(b.key)}
              onChange={(e) =>
                set(e.target.checked ? [...chosen, b.key] : chosen.filter((key) => key !== b.key))
              }
            />
            {b.name}
          </label>
        ))}
      </div>
      {sheet.zone_cautions.map((c) => (
        <p key={c} className="mt-1">
          <b>Check:</b> {c}
        </p>
      ))}
    </details>
  );
}
