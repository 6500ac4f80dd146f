import { useState } from "react";
import { Link } from "react-router";
import type { BlockAdvice, WorkingLine } from "../../api/client";
import { changeWords, useBlockAudit } from "../../app/audits";
import { useKeepAsOf, useUnits } from "../../app/farm";
import { quantity, quantityOf, toServer, type UnitSystem } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { adviceText } from "../../ui/adviceText";
import { lineFigure, WorkingLines } from "../../ui/WorkingLines";
import { useWhatIf } from "./queries";

/** The Working with figures that can be changed on the spot; the server works out what follows. */
export function WhatIfWorking({ advice, asOf }: { advice: BlockAdvice; asOf: string | undefined }) {
  const units = useUnits();
  const [changes, setChanges] = useState<Record<string, number>>({});
  const answer = useWhatIf(advice.key, asOf, changes);
  const changed = Object.keys(changes).length > 0;
  const then = changed && answer.data && !answer.isError ? answer.data.after : undefined;
  const before = new Map(advice.working.map((line) => [line.key, line]));
  const change = (name: string, value: number | undefined) =>
    setChanges((now) => {
      const next = { ...now };
      if (value === undefined) delete next[name];
      else next[name] = value;
      return next;
    });
  const lines = then?.working ?? advice.working;
  return (
    <aside aria-label={say`Working`} className="sheet self-start p-4">
      <div className="flex items-baseline justify-between">
        <h2 className="text-[17px] font-bold">{changed ? say`Working · what if` : say`Working`}</h2>
        {changed ? (
          <button
            type="button"
            className="secondary underline"
            onClick={() => setChanges({})}
          >{say`as now`}</button>
        ) : (
          <button
            type="button"
            className="secondary underline"
            onClick={() => window.print()}
          >{say`print`}</button>
        )}
      </div>
      {lines.length === 0 && <p className="mt-2">{advice.reason}</p>}
      <WorkingLines
        lines={lines}
        figure={(line, text) => (
          <Figure
            line={line}
            text={text}
            before={before.get(line.key)}
            units={units}
            change={change}
            changed={line.change in changes}
          />
        )}
      />
      {!changed && <AuditOffer blockKey={advice.key} asOf={asOf} />}
      {answer.isError && changed && <p className="mt-2 font-bold text-clay">{answer.error.message}</p>}
      <p className="secondary mt-3">
        {then
          ? sayWith`Now: ${adviceText(advice, asOf ?? "", units)}. ${<b className="text-ink">{say`Then: ${adviceText(then, asOf ?? "", units)}.`}</b>}`
          : lines.length > 0 &&
            say`Underlined figures can be changed to see what follows; nothing is stored.`}
      </p>
    </aside>
  );
}

/** The correction the audit of earlier sets offers, as a line of the Working; nothing where none is, or it is in force. */
function AuditOffer({ blockKey, asOf }: { blockKey: string; asOf: string | undefined }) {
  const audit = useBlockAudit(blockKey, asOf);
  const keep = useKeepAsOf();
  const dose = audit.data?.dose;
  if (!dose || Math.abs(dose.factor - dose.in_force) < 0.005) return null;
  return (
    <div className="mt-2 border-t border-rule pt-1">
      <p className="flex justify-between gap-2">
        <Link className="underline" to={keep(`/block/${blockKey}/audit`)}>{say`Offered by the audit`}</Link>
        <span className="figure">{changeWords(dose.factor)}</span>
      </p>
      <p className="secondary">{say`${dose.why.join(" ")} Not applied.`}</p>
    </div>
  );
}

interface FigureProps {
  line: WorkingLine;
  text: string;
  before: WorkingLine | undefined;
  units: UnitSystem;
  changed: boolean;
  change: (name: string, value: number | undefined) => void;
}

function Figure({ line, text, before, units, changed, change }: FigureProps) {
  const [editing, setEditing] = useState(false);
  const was = before && lineFigure(before.value, before.unit, units, before.minutes);
  const old = was !== undefined && was !== text && <s className="mr-2 font-normal text-ink-2">{was}</s>;
  if (!line.change) {
    return (
      <>
        {old}
        {text}
      </>
    );
  }
  if (editing) {
    const finish = (typed: string) => {
      setEditing(false);
      const value = Number(typed.replace(",", "."));
      const name = quantityOf(line.unit);
      if (typed.trim() === "" || Number.isNaN(value)) change(line.change, undefined);
      else change(line.change, name ? toServer(value, name, units) : value);
    };
    return (
      <input
        // biome-ignore lint/a11y/noAutofocus: the person has just asked to type here
        autoFocus
        aria-label={say`What if ${line.label} were`}
        defaultValue={plainNumber(line, units)}
        inputMode="decimal"
        className="w-20 border border-ink bg-panel px-1 text-right"
        onFocus={(e) => e.target.select()}
        onBlur={(e) => finish(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setEditing(false);
        }}
      />
    );
  }
  return (
    <>
      {old}
      <button
        type="button"
        className={`underline decoration-dotted underline-offset-3 ${changed ? "bg-band" : ""}`}
        aria-label={say`Change ${line.label}, now ${text}`}
        onClick={() => setEditing(true)}
      >
        {text}
      </button>
    </>
  );
}

function plainNumber(line: WorkingLine, units: UnitSystem): string {
  const name = quantityOf(line.unit);
  if (line.value === null) return "";
  if (!name) return String(Number(line.value.toFixed(3)));
  const { factor, decimals } = quantity(name, units);
  return (line.value * factor).toFixed(decimals);
}
