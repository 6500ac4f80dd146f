import { type ReactNode, useState } from "react";
import type { WorkingLine } from "../api/client";
import { useUnits } from "../app/farm";
import { setTime } from "../lib/numbers";
import { quantityOf, show, type UnitSystem } from "../lib/units";
import { say } from "../lib/words";

const KINDS: Record<string, string> = {
  reading: say`readings`,
  table: say`table`,
  equation: say`equation`,
  entry: say`entered`,
  computed: "",
  assumption: say`assumed`,
};

/** A figure of the Working with the precision it deserves. */
export function lineFigure(
  value: number | null,
  unit: string,
  units: UnitSystem,
  minutes?: number | null,
): string {
  if (value === null) return "–";
  const name = quantityOf(unit);
  if (name) return show(value, name, units);
  if (unit === "h" && typeof minutes === "number") return setTime(minutes);
  if (unit === "days") return say`${value.toFixed(1)} days`;
  if (unit === "" && value > 1 && Number.isInteger(value)) return String(value);
  return unit ? `${value.toFixed(2)} ${unit}` : value.toFixed(2);
}

/** The limits of a line in brackets, when it has any. */
export function lineRange(line: WorkingLine, units: UnitSystem): string {
  if (line.low === null || line.high === null) return "";
  const bare = (value: number) => lineFigure(value, line.unit, units).replace(/ .*$/, "");
  return Number.isFinite(line.high)
    ? say`${bare(line.low)} to ${bare(line.high)}`
    : say`${bare(line.low)} or more`;
}

interface LinesProps {
  lines: WorkingLine[];
  /** What to draw instead of the figure, for lines that can be changed. */
  figure?: (line: WorkingLine, text: string) => ReactNode;
}

/** The arithmetic as on a pad: label left, figure right, a rule above each result, letters that open the source. */
export function WorkingLines({ lines, figure }: LinesProps) {
  const units = useUnits();
  const [open, setOpen] = useState<string | null>(null);
  return (
    <ol className="mt-2">
      {lines.map((line, index) => {
        const text = lineFigure(line.value, line.unit, units, line.minutes);
        const range = lineRange(line, units);
        return (
          <li key={line.key} className={line.result ? "mb-1.5 border-t border-ink pt-1 font-bold" : "pt-0.5"}>
            <div className="flex items-baseline justify-between gap-x-2">
              <span>
                {line.label}
                <SourceLetter
                  line={line}
                  index={index}
                  open={open === line.key}
                  toggle={() => setOpen(open === line.key ? null : line.key)}
                />
              </span>
              <span className="figure shrink-0 text-right">
                {line.op && `${line.op} `}
                {figure ? figure(line, text) : text}
              </span>
            </div>
            {range && <p className="secondary figure text-right font-normal">{range}</p>}
            {open === line.key && <SourceText line={line} />}
          </li>
        );
      })}
    </ol>
  );
}

interface LetterProps {
  line: WorkingLine;
  index: number;
  open: boolean;
  toggle: () => void;
}

function SourceLetter({ line, index, open, toggle }: LetterProps) {
  const letter = index < 26 ? String.fromCharCode(97 + index) : String(index);
  return (
    <button
      type="button"
      className="ml-0.5 px-1 align-super text-[11px] font-normal text-deep hover:underline"
      aria-expanded={open}
      aria-label={say`Where ${line.label} comes from: ${letter}`}
      onClick={toggle}
    >
      {letter}
    </button>
  );
}

function SourceText({ line }: { line: WorkingLine }) {
  const kind = KINDS[line.source.kind];
  return (
    <div className="secondary mb-1 border-l-2 border-deep pl-2 font-normal">
      {line.formula && <p className="figure text-[12px]">{line.formula}</p>}
      <p>
        {kind && `${kind}: `}
        {line.source.title}
      </p>
      {line.source.detail && <p>{line.source.detail}</p>}
    </div>
  );
}
