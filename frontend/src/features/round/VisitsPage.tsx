import { useRoundAudit } from "../../app/audits";
import { useAsOf, useFarm } from "../../app/farm";
import { say } from "../../lib/words";
import { useRound } from "./queries";
import { ToSee } from "./ToSee";

/** All there is to walk to this morning, in order: a field hand's page. */
export function VisitsPage() {
  const [asOf] = useAsOf();
  const round = useRound(asOf);
  const audit = useRoundAudit(asOf, useFarm().blocks.length);
  if (round.isPending) return <p className="secondary py-6">{say`Reading the probes …`}</p>;
  if (round.isError) return <p className="py-6">{round.error.message}</p>;
  const faults = audit.data?.follow_ups ?? [];
  const nothing = round.data.to_see.length === 0 && faults.length === 0;
  return (
    <div className="max-w-2xl py-1">
      <h1>{nothing ? say`Nothing to visit this morning` : say`Visits`}</h1>
      <ToSee lines={round.data.to_see} faults={faults} most={Number.POSITIVE_INFINITY} />
    </div>
  );
}
