import { useUnits } from "../../app/farm";
import { dayMonth, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import type { Growth } from "./queries";

/** What the trees say against their plan, and the fruit at harvest against its target. */
export function TreeSignal({ growth }: { growth: Growth }) {
  const units = useUnits();
  const { signal, harvest } = growth;
  if (!growth.trees && !harvest && !growth.verdict_words) return null;
  return (
    <section aria-label={say`Trees against the plan`} className="mt-6">
      <h2 className="text-[17px] font-bold">{say`Trees against the plan`}</h2>
      {growth.verdict_words && <p className="font-bold">{growth.verdict_words}.</p>}
      {growth.trees > 0 && growth.trees < 3 && (
        <p>{say`${growth.trees} of three trees has a gauge. Three alike, in one row, speak for a block: one may be sick or stand on a stone (common practice, no source).`}</p>
      )}
      {signal ? (
        <p>{sayWith`Trunks shrink ${<b className="figure">{signal.intensity.toFixed(2)}</b>} times as much as with full soil on the same weather (${signal.low.toFixed(2)} to ${signal.high.toFixed(2)}; ${signal.trees === 1 ? say`one tree` : say`${signal.trees} trees`})${signal.growth_mm_d !== null && say`, and grow ${show(signal.growth_mm_d, "size", units)} a day`}. ${
          signal.plan === null
            ? say`No plan is entered: give one under Rules, and the date follows the trees.`
            : say`The plan allows ${signal.plan.toFixed(2)}.`
        }`}</p>
      ) : (
        growth.signal_words && <p>{say`No signal yet: ${growth.signal_words}.`}</p>
      )}
      {harvest && (
        <p>{say`At harvest, ${dayMonth(wall(`${harvest.day}T00:00`))}: ${show(harvest.mean_mm, "size", units, false)} ± ${show(harvest.error_mm, "size", units)} of ${show(harvest.target_mm, "size", units)} wanted (${harvest.count} fruit): ${harvest.words}.`}</p>
      )}
    </section>
  );
}
