import { Link } from "react-router";
import type { BlockAdvice } from "../../api/client";
import { useKeepAsOf } from "../../app/farm";
import { say } from "../../lib/words";
import { Notices } from "../../ui/Notices";
import { WorkingLines } from "../../ui/WorkingLines";
import { useWorking } from "./queries";
import { RowActions } from "./RowActions";

/** The chosen block's arithmetic beside the list, on wide screens. */
export function WorkingAside({ block, asOf }: { block: BlockAdvice | undefined; asOf: string | undefined }) {
  const found = useWorking(block?.key, asOf);
  const keep = useKeepAsOf();
  if (!block) return null;
  const lines = found.data?.advice.working ?? [];
  return (
    <aside
      aria-label={say`Working of ${block.name}`}
      className="sheet sticky top-3 hidden self-start p-4 min-[1100px]:block"
    >
      <div className="flex items-baseline justify-between">
        <h2 className="text-[17px] font-bold">{say`Working · ${block.name}`}</h2>
        <button
          type="button"
          className="secondary underline"
          onClick={() => window.print()}
        >{say`print`}</button>
      </div>
      {lines.length > 0 && <WorkingLines lines={lines} />}
      <p className="secondary mt-3">{block.reason}</p>
      <Notices block={block} />
      {block.not_trusted.map((note) => (
        <p key={note} className="secondary mt-1">
          <b className="text-ink">{say`Check:`}</b> {note}
        </p>
      ))}
      {found.data && <RowActions block={block} asOf={found.data.as_of} />}
      <Link
        to={keep(`/block/${block.key}`)}
        className="mt-3 inline-block rounded-sheet border border-ink bg-panel px-3 py-1 font-bold"
      >{say`Open ${block.name}`}</Link>
    </aside>
  );
}
