import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useRoundAudit } from "../../app/audits";
import { useAsOf, useFarm, useUnits } from "../../app/farm";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import { useRound } from "./queries";
import { ToSee } from "./ToSee";

/** All there is to walk to this morning, in order: a field hand's page. */
export function VisitsPage() {
  const [asOf] = useAsOf();
  const round = useRound(asOf);
  const audit = useRoundAudit(asOf, useFarm().blocks.length);
  const units = useUnits();
  const [walking, setWalking] = useState(false);
  if (round.isPending) return <p className="secondary py-6">{say`Reading the probes …`}</p>;
  if (round.isError) return <p className="py-6">{round.error.message}</p>;
  const faults = audit.data?.follow_ups ?? [];
  const lines = round.data.to_see;
  const placed = new Set(lines.filter((v) => v.walk).map((v) => v.station)).size;
  const nothing = lines.length === 0 && faults.length === 0;
  return (
    <div className="max-w-2xl py-1">
      <h1>{nothing ? say`Nothing to visit this morning` : say`Visits`}</h1>
      {placed > 1 && (
        <p className="mt-1 flex flex-wrap gap-x-5">
          {[false, true].map((way) => (
            <button
              key={String(way)}
              type="button"
              aria-pressed={walking === way}
              className={`max-sm:min-h-11 ${walking === way ? "font-bold underline" : "underline decoration-rule"}`}
              onClick={() => setWalking(way)}
            >
              {way
                ? say`on the way round, ${show(round.data.walk_m, "length", units)} as the crow flies`
                : say`most urgent first`}
            </button>
          ))}
        </p>
      )}
      <ToSee lines={walking ? byWay(lines) : lines} faults={faults} most={Number.POSITIVE_INFINITY} />
    </div>
  );
}

/** The visits as one comes past them; those whose place is not known come last. */
function byWay(lines: Schemas["VisitLine"][]): Schemas["VisitLine"][] {
  const nth = (line: Schemas["VisitLine"]) => line.walk ?? Number.POSITIVE_INFINITY;
  return [...lines].sort((a, b) => nth(a) - nth(b) || 0);
}
