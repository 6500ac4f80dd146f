import { useState } from "react";
import type { AuditedSet } from "../../app/audits";
import { useUnits } from "../../app/farm";
import { GainBar, ReachColumn } from "../../charts/SetWater";
import { clock, day, wall } from "../../lib/dates";
import { hoursWords } from "../../lib/numbers";
import { show } from "../../lib/units";
import { capital, say, sayCode } from "../../lib/words";

interface SetRowProps {
  set: AuditedSet;
  most: number;
  name?: React.ReactNode;
  /** Whether it is the one that ran at, or last before, the moment pointed at. */
  pointed?: boolean;
}

const WIDTHS = "min-[900px]:grid-cols-[124px_112px_minmax(246px,1fr)_132px_50px_minmax(150px,1fr)]";

/** The heads over the columns, on wide screens. */
export function SetHeads() {
  return (
    <div
      className={`secondary hidden gap-x-3 border-b border-rule pb-1 text-[12px]! min-[900px]:grid ${WIDTHS}`}
    >
      <span>{say`set`}</span>
      <span>{say`ran`}</span>
      <span>{say`net over the block`}</span>
      <span>{say`reach, of the roots`}</span>
      <span>{say`below`}</span>
      <span>{say`verdict`}</span>
    </div>
  );
}

/** A set: when, how long, what came of what was expected, how deep, what was lost, and the verdict with its cause. */
export function SetRow({ set, most, name, pointed = false }: SetRowProps) {
  const units = useUnits();
  const [open, setOpen] = useState(false);
  const at = wall(set.start);
  const short = set.planned_h !== null && set.ran_h < 0.9 * set.planned_h;
  const wrong = !["right", "cannot tell"].includes(set.verdict);
  return (
    <li
      aria-current={pointed ? "time" : undefined}
      className={`${pointed ? "bg-band" : ""} grid gap-x-3 gap-y-1 border-b border-rule py-2 min-[900px]:items-start ${WIDTHS}`}
    >
      <span>
        {name && <b className="block">{name}</b>}
        <button
          type="button"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
          className={`text-left hover:underline max-sm:min-h-11 ${name ? "" : "font-bold"}`}
        >
          {day(at)} {clock(at)}
        </button>
      </span>
      <span className={`figure ${short ? "text-clay" : ""}`}>
        {hoursWords(set.ran_h)}
        {short && say` of ${hoursWords(set.planned_h ?? 0)}`}
      </span>
      <GainBar expected={set.expected_mm} gained={set.gained_mm} error={set.error_mm} most={most} />
      <span className={set.reach_cm === null ? "max-[899px]:hidden" : ""}>
        <ReachColumn reach={set.reach_cm} wanted={set.wanted_cm} below={set.below_mm} />
      </span>
      <span
        className={`figure ${(set.below_mm ?? 0) >= 1 ? "text-clay" : ""} ${set.below_mm === null ? "max-[899px]:hidden" : ""}`}
      >
        <span className="min-[900px]:hidden">{say`below the roots`} </span>
        {set.below_mm === null ? "–" : show(set.below_mm, "depth", units)}
      </span>
      <span>
        <b className={wrong ? "text-clay" : ""}>{capital(sayCode(set.verdict))}</b>
        {set.why && <span className="secondary block">{sayCode(set.why)}</span>}
        {set.lower.said !== "not told" && <span className="secondary block">{set.lower.words}</span>}
      </span>
      {open && <Detail set={set} />}
    </li>
  );
}

const percent = (share: number) => `${Math.round(100 * share)} %`;

/** Everything else that is known of a set, a line each. */
function Detail({ set }: { set: AuditedSet }) {
  const units = useUnits();
  const mm = (value: number | null) => (value === null ? undefined : show(value, "depth", units));
  const lines: [string, string | undefined][] = [
    [say`Gross over the block`, `${show(set.gross_mm, "depth", units)}${set.metered ? say`, metered` : ""}`],
    [say`The roots lacked before it`, mm(set.lacked_mm)],
    [
      say`Gained, with its error`,
      set.gained_mm === null
        ? undefined
        : `${show(set.gained_mm, "depth", units, false)} ± ${show(set.error_mm ?? 0, "depth", units)}`,
    ],
    [say`Neither stored nor seen to pass`, mm(set.missing_mm)],
    [say`Between the stations`, mm(set.spread_mm)],
    [
      say`Water arrived`,
      set.arrivals.length > 0
        ? set.arrivals
            .map((a) => say`${show(a.depth_cm, "soilDepth", units)} after ${hoursWords(a.after_h)}`)
            .join(", ")
        : undefined,
    ],
    [
      say`Stored, of what was applied`,
      set.application_efficiency === null ? undefined : percent(set.application_efficiency),
    ],
    [
      say`Stored, of what was lacking`,
      set.storage_efficiency === null ? undefined : percent(set.storage_efficiency),
    ],
    [say`Correction in force`, set.correction === 1 ? undefined : `× ${set.correction.toFixed(2)}`],
  ];
  return (
    <dl className="col-span-full ml-2 max-w-2xl border-l-2 border-deep pl-3">
      {lines
        .filter(([, value]) => value !== undefined)
        .map(([label, value]) => (
          <div key={label} className="flex flex-wrap justify-between gap-x-4">
            <dt>{label}</dt>
            <dd className="figure">{value}</dd>
          </div>
        ))}
    </dl>
  );
}
