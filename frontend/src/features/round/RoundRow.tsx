import { Link } from "react-router";
import type { BlockAdvice, Schemas } from "../../api/client";
import { useKeepAsOf, useUnits } from "../../app/farm";
import { LevelLine } from "../../charts/LevelLine";
import { clock, day, wall } from "../../lib/dates";
import { depthPair } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { refillText, setText, zoneText } from "../../ui/adviceText";
import { NextStep } from "../../ui/NextStep";

interface RowProps {
  block: BlockAdvice;
  asOf: string;
  /** Water below the roots in the last week, where it is worth saying. */
  loss?: Schemas["BlockLossOut"] | undefined;
  /** Its sets that are approved or running. */
  planned?: Schemas["NightSetOut"][];
  chosen: boolean;
  choose: () => void;
}

/** A block on the Round: name, level line, refill, set; two lines, all of it leads to the block. */
export function RoundRow({ block, asOf, loss, planned = [], chosen, choose }: RowProps) {
  const keep = useKeepAsOf();
  const units = useUnits();
  const { word, range } = refillText(block, asOf);
  const advised = setText(block, units);
  const checks = block.not_trusted;
  const binding = block.binding !== "";
  const more = checks.length - (binding ? 0 : 1);
  return (
    <article
      id={`row-${block.key}`}
      data-testid="round-row"
      className={`round-row round-grid items-center border-b px-2 py-2 sm:py-1 ${chosen ? "border-ink bg-panel outline outline-ink" : "border-rule"}`}
      // not on entering: rows that grow or arrive would slide under a pointer that stands still, and change the choice
      onPointerMove={(e) => e.pointerType === "mouse" && choose()}
      aria-label={block.name}
      onFocus={choose}
    >
      <div className="min-w-0">
        <Link to={keep(`/block/${block.key}`)} className="font-bold hover:underline">
          {block.name}
        </Link>
        <p className="secondary truncate">
          {sayCode(block.crop)}
          {block.system ? say` · ${block.system}` : ""}
        </p>
      </div>
      <div className="max-sm:order-last max-sm:col-span-2">
        <Level block={block} />
      </div>
      <div className="max-sm:text-right">
        <p className={`font-bold ${block.group === "act" ? "text-clay" : ""}`}>{word}</p>
        <p className="secondary">{range}</p>
      </div>
      <div className="min-w-0 max-sm:col-span-2">
        {advised && <p className="font-bold">{advised}</p>}
        {planned.length > 0 && (
          <p>
            <Link className="font-bold text-deep hover:underline" to={keep("/tonight")}>
              {planned.map(plannedText).join("; ")}
            </Link>
          </p>
        )}
        <p className="secondary">
          {checks.length > 0 && !binding && <b className="text-ink">{say`Check:`} </b>}
          {sayCode(block.why)}
          {more > 0 && say` (+${more} to check)`}
        </p>
        <NextStep block={block} />
        {(block.zones ?? []).length > 0 && (
          <p className="secondary">
            <b className="text-ink">{say`By zone:`} </b>
            {(block.zones ?? []).map((zone, n) => (
              <span key={zone.name}>
                {n > 0 && "; "}
                {zone.past ? (
                  <b className="text-clay">{zoneText(zone, asOf, units)}</b>
                ) : (
                  zoneText(zone, asOf, units)
                )}
              </span>
            ))}
          </p>
        )}
        {loss && (
          <p className="secondary">{sayWith`${<b className="text-ink">{say`${depthPair(loss.strip_mm, block.wetted_fraction, units)} below the roots`}</b>} in 7 days${loss.known < loss.wettings && say`, at least: ${loss.known} of ${loss.wettings} wettings are known`}`}</p>
        )}
      </div>
    </article>
  );
}

/** "Running until Tue 18:25", "Approved Tue 20:30 to 04:50": water that is on its way already. */
function plannedText(set: Schemas["NightSetOut"]): string {
  const part = set.shift && set.shift !== "all" ? `${set.shift} ` : "";
  const at = (iso: string) => `${day(wall(iso)).slice(0, 3)} ${clock(wall(iso))}`;
  if (set.state === "running") return say`Running ${part}until ${at(set.end)}`;
  return say`Approved ${part}${at(set.start)} to ${clock(wall(set.end))}`;
}

function Level({ block }: { block: BlockAdvice }) {
  const units = useUnits();
  if (!block.marks || block.storage_mm === null) {
    return <p className="secondary border-b border-ink-2 pb-0.5 italic">{say`no amounts`}</p>;
  }
  const { marks } = block;
  const above = block.storage_mm - marks.refill_mm;
  const side = above >= 0 ? say`above` : say`below`;
  const mm = Math.abs(above);
  const label = say`${block.name}: ${depthPair(mm, block.wetted_fraction, units)} ${side} the refill point`;
  return <LevelLine marks={marks} storage={block.storage_mm} projected={block.projected_mm} label={label} />;
}
