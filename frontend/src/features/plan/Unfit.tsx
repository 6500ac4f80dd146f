import { say, sayCode } from "../../lib/words";
import type { Plan } from "./queries";

/** What finds no place, what is held, and what each limit loosened would do. */
export function Unfit({ plan, waiting }: { plan: Plan; waiting: boolean }) {
  return (
    <>
      {plan.unfit.map((one) => (
        <section key={one.block} className="mb-2">
          <h2 className="text-[16px] font-bold">
            {one.parts > 1
              ? say`${one.name}: ${one.left} of ${one.parts} parts find no place`
              : say`${one.name} finds no place`}
          </h2>
          <p>{one.lacks}.</p>
        </section>
      ))}
      {plan.held.map((one) => (
        <p key={one.block} className="mb-2">
          <b>{say`${one.name} is held.`}</b> {sayCode(one.why)}
        </p>
      ))}
      {plan.ways_out.length > 0 && (
        <section aria-label={say`Ways out`} className="mt-3">
          <p className="secondary font-bold">{say`Ways out`}</p>
          <ul>
            {plan.ways_out.map((way) => (
              <li key={way.words} className="flex justify-between gap-3 border-t border-rule py-1.5">
                <span>{way.words}</span>
                <span className="figure whitespace-nowrap">{costs(way.costs)}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {!waiting && plan.unfit.length === 0 && plan.ways_out.length === 0 && (
        <p>
          {plan.sets.length === 0 ? say`No block asks for water in these days.` : say`All sets find a place.`}
        </p>
      )}
    </>
  );
}

/** What a way out costs more, in the farm's own currency; nothing where no price is known. */
function costs(more: number): string {
  if (Math.abs(more) < 0.5) return "";
  return `${more > 0 ? "+" : "−"} ${Math.abs(more).toFixed(0)}`;
}
