import { useState } from "react";
import { Link } from "react-router";
import { changeWords, type FarmAudit, useFarmAudit } from "../../app/audits";
import { useAsOf, useKeepAsOf } from "../../app/farm";
import { day, wall } from "../../lib/dates";
import { say, sayCode, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { SetHeads, SetRow } from "./SetRow";

/** Sets shown at first: a large farm has a thousand in three weeks. */
const FIRST = 60;

/** Every block's sets, newest first; who got less in a group; what to go and see; what doses would change. */
export function FarmAuditPage() {
  const [asOf] = useAsOf();
  const audit = useFarmAudit(asOf);
  if (audit.isPending) return <p className="secondary py-6">{say`Looking at the sets of all blocks …`}</p>;
  if (audit.isError) return <p className="py-6">{audit.error.message}</p>;
  return <TheFarm audit={audit.data} />;
}

function TheFarm({ audit }: { audit: FarmAudit }) {
  const keep = useKeepAsOf();
  const [all, setAll] = useState(false);
  const shown = all ? audit.sets : audit.sets.slice(0, FIRST);
  const most = Math.max(1, ...audit.sets.map((s) => (s.gained_mm ?? 0) + (s.error_mm ?? 0)));
  return (
    <div className="py-1">
      <h1>{say`Audit of the farm's sets`}</h1>
      <p className="mb-3">{audit.line?.text ?? say`No set on record in the last week.`}</p>
      <div className="grid gap-x-7 gap-y-5 min-[1100px]:grid-cols-[minmax(0,1fr)_290px]">
        <section aria-label={say`Sets`} className="min-w-0">
          {audit.sets.length > 0 && <SetHeads />}
          <ol>
            {shown.map((set) => (
              <SetRow
                key={`${set.block} ${set.start_at} ${set.verdict}`}
                set={set}
                most={most}
                name={<Link to={keep(`/block/${set.block}/audit`)}>{set.name}</Link>}
              />
            ))}
          </ol>
          {audit.sets.length > FIRST && (
            <Button kind="quiet" onClick={() => setAll(!all)}>
              {all ? say`Show the last ones only` : say`Show all ${audit.sets.length}`}
            </Button>
          )}
          <p className="secondary mt-2">{sayWith`Sets of ${audit.days} days. ${<a className="underline" href={`/api/audit/table.csv?days=${audit.days}`}>{say`Download CSV`}</a>} · ${<Link className="underline" to={keep("/compare")}>{say`Two ways compared`}</Link>} · ${<Link className="underline" to={keep("/seasons")}>{say`The farm's seasons`}</Link>}`}</p>
        </section>
        <aside className="grid gap-5 self-start">
          <FollowUps audit={audit} />
          <Offers audit={audit} />
          <Groups audit={audit} />
        </aside>
      </div>
    </div>
  );
}

function FollowUps({ audit }: { audit: FarmAudit }) {
  const keep = useKeepAsOf();
  return (
    <section aria-label={say`Go and see`} className="sheet p-4">
      <h2 className="text-[17px] font-bold">{say`Go and see`}</h2>
      {audit.follow_ups.length === 0 && <p>{say`Nothing: every fault was seen to.`}</p>}
      <ul>
        {audit.follow_ups.map((one) => (
          <li key={one.key} className="border-t border-rule py-1 first:border-0">
            <Link className="font-bold hover:underline" to={keep(`/block/${one.block}/audit`)}>
              {one.name}
            </Link>{" "}
            {one.words} <span className="secondary">{sayCode(one.where)}</span>
          </li>
        ))}
      </ul>
      {audit.follow_ups.length > 0 && (
        <p className="secondary">{sayWith`Ticked off with what was found on ${<Link className="underline" to={keep("/tonight")}>{say`Tonight`}</Link>}.`}</p>
      )}
    </section>
  );
}

function Offers({ audit }: { audit: FarmAudit }) {
  const keep = useKeepAsOf();
  if (audit.offers.length === 0) return null;
  return (
    <section aria-label={say`Next sets`}>
      <h2 className="text-[15px] font-bold">{say`Next sets`}</h2>
      <ul>
        {audit.offers.map((one) => (
          <li key={one.block} className="flex justify-between gap-3 border-t border-rule py-0.5">
            <Link className="hover:underline" to={keep(`/block/${one.block}/audit`)}>
              {one.name}
            </Link>
            <span className="figure">
              {changeWords(one.factor)}
              {one.in_force !== 1 && say` (× ${one.in_force.toFixed(2)} in force)`}
            </span>
          </li>
        ))}
      </ul>
      <p className="secondary">{say`Offered by the audit of each block.`}</p>
    </section>
  );
}

function Groups({ audit }: { audit: FarmAudit }) {
  if (audit.groups.length === 0) return null;
  return (
    <section aria-label={say`Blocks of a group`}>
      <h2 className="text-[15px] font-bold">{say`Same night, same group`}</h2>
      {audit.groups.map((group) => (
        <div key={`${group.group} ${group.night}`} className="mt-1">
          <p>{sayWith`${<b>{group.group}</b>}, night of ${day(wall(`${group.night}T00:00`))}. ${group.words.join(" ")}`}</p>
          <ul>
            {group.blocks.map((one) => (
              <li key={one.block} className="flex justify-between gap-3 border-t border-rule py-0.5">
                <span className={one.less ? "text-clay" : ""}>{one.name}</span>
                <span className="figure">{say`${Math.round(100 * one.share)} % of expected`}</span>
              </li>
            ))}
          </ul>
        </div>
      ))}
    </section>
  );
}
