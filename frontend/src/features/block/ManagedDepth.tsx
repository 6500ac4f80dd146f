import { useState } from "react";
import { useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { useRules, useRuling } from "./queries";
import { RulesDialog } from "./RulesDialog";

interface ManagedDepthProps {
  blockKey: string;
  depthCm: number;
  why: string;
}

/** Water reaches less deep than roots are counted: the depth to manage instead, with its evidence, to be picked. */
export function ManagedDepth({ blockKey, depthCm, why }: ManagedDepthProps) {
  const units = useUnits();
  const may = useMay();
  const rules = useRules(blockKey, undefined);
  const ruling = useRuling(blockKey);
  const [open, setOpen] = useState(false);
  const depth = show(depthCm, "soilDepth", units);
  const before = rules.data?.rules.find((r) => !r.stage);
  return (
    <section aria-label={say`Depth to manage`} className="mb-2 border-t border-rule pt-1.5">
      <p>
        <b>{say`Water does not reach the lower roots.`}</b> {why}
      </p>
      <p className="secondary">{say`Either give longer sets that go deeper, or refill the soil down to ${depth} only: advice then counts no water that cannot be brought back. When the lower soil is used up, the upper part must carry the whole crop and sets come sooner.`}</p>
      {may("block_rules") && rules.data && (
        <Button onClick={() => setOpen(true)}>{say`Refill down to ${depth} …`}</Button>
      )}
      {open && (
        <RulesDialog
          blockKey={blockKey}
          before={before}
          managedCm={depthCm}
          note={why}
          store={(body) => ruling.rules.mutateAsync(body)}
          close={() => setOpen(false)}
        />
      )}
    </section>
  );
}
