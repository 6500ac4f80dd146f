import { useState } from "react";
import { useParams } from "react-router";
import { type BlockAudit, useBlockAudit } from "../../app/audits";
import { useAsOf, useFarm, useKeepAsOf, useUnits } from "../../app/farm";
import { usePointed } from "../../app/pointed";
import { wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { BlockPlaces } from "../../ui/BlockPlaces";
import { Button } from "../../ui/Button";
import { NextDose } from "./NextDose";
import { RulesOfAudit } from "./RulesOfAudit";
import { SetHeads, SetRow } from "./SetRow";
import { Styles } from "./Styles";
import { Teaches } from "./Teaches";

const FIRST = 8;

/** Where each set's water went, newest first, and what the next one should be. */
export function AuditPage() {
  const { key = "" } = useParams();
  const [asOf] = useAsOf();
  const audit = useBlockAudit(key, asOf);
  if (audit.isPending) return <p className="secondary py-6">{say`Looking at the sets …`}</p>;
  if (audit.isError) return <p className="py-6">{audit.error.message}</p>;
  return <TheAudit audit={audit.data} past={asOf !== undefined} />;
}

function TheAudit({ audit, past }: { audit: BlockAudit; past: boolean }) {
  const keep = useKeepAsOf();
  const farm = useFarm();
  const units = useUnits();
  const [all, setAll] = useState(false);
  const block = farm.blocks.find((b) => b.key === audit.key);
  const [pointed] = usePointed();
  // sets come newest first
  const then =
    pointed === null ? undefined : audit.sets.find((s) => wall(s.start).getTime() / 1000 <= pointed);
  const shown = all ? audit.sets : audit.sets.slice(0, FIRST);
  return (
    <div className="py-1">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{audit.name}</h1>
        {block && (
          <span className="text-ink-2">
            {sayCode(block.crop)} · {show(block.area_ha, "area", units)}
          </span>
        )}
      </div>
      <BlockPlaces to={keep} blockKey={audit.key} />
      <div className="grid gap-x-7 gap-y-5 min-[1100px]:grid-cols-[minmax(0,1fr)_290px]">
        <section aria-label={say`Sets`} className="min-w-0">
          <h2 className="mb-2 text-[17px] font-bold">{audit.headline}</h2>
          {audit.sets.length > 0 && <SetHeads />}
          <ol>
            {shown.map((set) => (
              <SetRow key={set.start_at} set={set} most={mostOf(audit)} pointed={set === then} />
            ))}
          </ol>
          {audit.sets.length > 0 && (
            <p className="secondary mt-2">{sayWith`Outline: expected in the roots. Bar: gained, with its error. Dashed line: depth to refill. Clay below it: water lost. Choose a set to see the rest. ${<a className="underline" href={`/api/audit/table.csv?days=${audit.days}`}>{say`Download CSV`}</a>}`}</p>
          )}
          {audit.sets.length > FIRST && (
            <Button kind="quiet" onClick={() => setAll(!all)}>
              {all ? say`Show the last ones only` : say`Show all ${audit.sets.length} of ${audit.days} days`}
            </Button>
          )}
          {audit.rule_score && <p className="mt-3">{audit.rule_score}.</p>}
          <Styles styles={audit.styles} />
        </section>
        <aside className="grid gap-5 self-start">
          <NextDose audit={audit} past={past} />
          <Teaches audit={audit} past={past} />
          <RulesOfAudit audit={audit} past={past} />
        </aside>
      </div>
    </div>
  );
}

const mostOf = (audit: BlockAudit) =>
  Math.max(1, ...audit.sets.map((s) => Math.max(s.expected_mm ?? 0, (s.gained_mm ?? 0) + (s.error_mm ?? 0))));
