import { useUnits } from "../../app/farm";
import { clock, wall } from "../../lib/dates";
import { quantityOf, show, type UnitSystem } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import type { Run, RunStep } from "./queries";

const SIGNS = { open: "○", done: "●", passed: "●", failed: "✕" } as const;
const WORDS = {
  open: say`open`,
  done: say`done`,
  passed: say`within limits`,
  failed: say`outside its limits`,
} as const;

interface ListProps {
  run: Run;
  chosen: string | undefined;
  choose: (id: string) => void;
}

/** All steps of a run with what was entered; any can be opened again until the run is closed. */
export function StepList({ run, chosen, choose }: ListProps) {
  const units = useUnits();
  return (
    <section aria-label={say`Steps`}>
      <ol>
        {run.steps.map((s, i) => (
          <li key={s.id}>
            {s.depth_cm !== null && run.steps[i - 1]?.sensor !== s.sensor && (
              <p className="secondary mt-2 font-bold">{show(s.depth_cm, "soilDepth", units)}</p>
            )}
            <button
              type="button"
              disabled={Boolean(run.closed)}
              aria-current={s.id === chosen ? "step" : undefined}
              className={`flex w-full flex-wrap items-baseline gap-x-2 border-b border-rule px-1 py-1 text-left focus-visible:-outline-offset-2 max-sm:min-h-11 ${s.id === chosen ? "bg-panel font-bold" : ""}`}
              onClick={() => choose(s.id)}
            >
              <span aria-hidden="true">{SIGNS[s.outcome as keyof typeof SIGNS]}</span>
              <span className="sr-only">{WORDS[s.outcome as keyof typeof WORDS]}:</span>
              <span className="min-w-0 flex-1">{s.step.title}</span>
              <span
                className={`${isLong(s) ? "basis-full pl-6 text-ink-2" : "figure shrink-0"} ${s.outcome === "failed" ? "font-bold" : ""}`}
              >
                {entered(s, units)}
              </span>
            </button>
          </li>
        ))}
      </ol>
    </section>
  );
}

/** A choice or a text that wants a line of its own. */
const isLong = (s: RunStep) => typeof s.value === "string" && s.value.length > 14;

function entered(s: RunStep, units: UnitSystem): string {
  if (s.outcome === "open") return s.step.required ? "" : say`optional`;
  const name = quantityOf(s.step.unit);
  if (typeof s.value === "number" && name) return show(s.value, name, units);
  if (s.value !== null)
    return `${typeof s.value === "string" ? sayCode(s.value) : s.value} ${s.step.unit === "raw" ? "" : s.step.unit}`.trim();
  if (s.step.entry === "place") return say`taken`;
  return s.at ? clock(wall(s.at)) : "";
}
