import { useMemo, useState } from "react";
import type { BlockAdvice } from "../../api/client";
import { useRoundAudit } from "../../app/audits";
import { useAsOf, useFarm } from "../../app/farm";
import { LevelLegend } from "../../charts/LevelLine";
import { say } from "../../lib/words";
import { GROUPS } from "../../ui/adviceText";
import { useTonight } from "../plan/queries";
import { FirstSteps } from "./FirstSteps";
import { LastNight } from "./LastNight";
import { Narrowing } from "./Narrowing";
import { useLosses, useRound } from "./queries";
import { RoundRow } from "./RoundRow";
import { ToSee } from "./ToSee";
import { useRowKeys } from "./useRowKeys";
import { WorkingAside } from "./WorkingAside";

export function RoundPage() {
  const farm = useFarm();
  const [asOf] = useAsOf();
  if (!farm.set_up || farm.blocks.length === 0) return <FirstSteps step={0} />;
  if (farm.sensors === 0) return <FirstSteps step={0} />;
  return <TheRound asOf={asOf} />;
}

/** Blocks beyond which looking for one takes longer than typing its name (ours). */
const FOUND_FROM = 8;

/** Blocks from which those that can be left are folded at first (ours). */
const FOLDED_FROM = 40;

function TheRound({ asOf }: { asOf: string | undefined }) {
  const round = useRound(asOf);
  const losses = useLosses(asOf);
  const tonight = useTonight(asOf);
  const known = useFarm().blocks.length;
  const many = known > FOLDED_FROM;
  const audit = useRoundAudit(asOf, known);
  const [find, setFind] = useState("");
  const [folded, setFolded] = useState<ReadonlySet<string>>(
    () => new Set(many ? ["leave"] : []), // with so many the morning's work stands first
  );
  const [chosen, setChosen] = useState<string>();
  const blocks = useMemo(
    () => (round.data?.blocks ?? []).filter((b) => matches(b, find)),
    [round.data, find],
  );
  const visible = useMemo(() => blocks.filter((b) => !folded.has(b.group)), [blocks, folded]);
  const selected = visible.find((b) => b.key === chosen) ?? visible[0];
  useRowKeys(visible, selected, setChosen);
  if (round.isPending) return <p className="secondary py-6">{say`Reading the probes …`}</p>;
  if (round.isError) return <p className="py-6">{round.error.message}</p>;
  const fold = (group: string) => setFolded((before) => toggled(before, group));
  const noReadings = round.data.blocks.every((b) => b.last_reading_at === null);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-x-6 min-[1100px]:grid-cols-[minmax(0,1fr)_326px]">
      <div>
        <h1>{round.data.sentence}</h1>
        {round.data.air.map((words) => (
          <p key={words} role="status" className="font-bold">
            {words}.
          </p>
        ))}
        <LastNight asOf={asOf} />
        {noReadings && <FirstSteps step={1} />}
        <div className="round-grid mt-2 items-end px-2">
          {round.data.blocks.length > FOUND_FROM ? <Find value={find} change={setFind} /> : <span />}
          <div className="max-sm:hidden">
            <LevelLegend />
          </div>
          <span className="secondary text-[12px]! max-sm:hidden">{say`refill`}</span>
          <span className="secondary text-[12px]! max-sm:hidden">{say`advised set`}</span>
        </div>
        {GROUPS.map(({ key, title }) => {
          const members = blocks.filter((b) => b.group === key);
          const visits = key === "act" && (
            <ToSee key="visits" lines={round.data.to_see} faults={audit.data?.follow_ups ?? []} />
          );
          if (members.length === 0) return visits;
          const group = (
            <section key={key} aria-label={title} className="mt-3">
              <h2 className="border-b border-rule pb-1">
                <button
                  type="button"
                  className="secondary font-bold"
                  aria-expanded={!folded.has(key)}
                  onClick={() => fold(key)}
                >
                  {title}
                  {folded.has(key) ? say` · ${members.length} folded` : ""}
                </button>
              </h2>
              {!folded.has(key) &&
                members.map((block) => (
                  <RoundRow
                    key={block.key}
                    block={block}
                    asOf={round.data.as_of}
                    loss={losses.data?.blocks.find((l) => l.key === block.key && l.worth_saying)}
                    planned={tonight.data?.sets.filter((s) => s.block === block.key)}
                    chosen={block.key === selected?.key}
                    choose={() => setChosen(block.key)}
                  />
                ))}
            </section>
          );
          return visits ? [group, visits] : group;
        })}
        <Narrowing blocks={blocks} />
      </div>
      <WorkingAside block={selected} asOf={asOf} />
    </div>
  );
}

function Find({ value, change }: { value: string; change: (text: string) => void }) {
  return (
    <input
      type="search"
      data-find
      value={value}
      onChange={(e) => change(e.target.value)}
      placeholder={say`Find a block or crop`}
      aria-label={say`Find a block or crop`}
      className="no-print sheet w-full max-w-56 px-2 py-1 max-sm:col-span-2 max-sm:min-h-11"
    />
  );
}

function matches(block: BlockAdvice, find: string): boolean {
  const wanted = find.trim().toLowerCase();
  return wanted === "" || `${block.name} ${block.crop} ${block.system}`.toLowerCase().includes(wanted);
}

function toggled(set: ReadonlySet<string>, value: string): ReadonlySet<string> {
  const next = new Set(set);
  if (!next.delete(value)) next.add(value);
  return next;
}
