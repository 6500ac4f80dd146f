import { Link } from "react-router";
import { useRoundAudit } from "../../app/audits";
import { useFarm, useKeepAsOf } from "../../app/farm";
import { say } from "../../lib/words";
import { SEEN_MS, usePlan, useTonight } from "../plan/queries";

const DAYS = 3;

/** Last night, tonight, and what the plan finds no place for, in a line each; nothing where nothing is planned. */
export function LastNight({ asOf }: { asOf: string | undefined }) {
  const tonight = useTonight(asOf);
  const plan = usePlan(asOf, DAYS, false, { staleTime: SEEN_MS });
  const audit = useRoundAudit(asOf, useFarm().blocks.length);
  const keep = useKeepAsOf();
  if (!tonight.data) return null;
  const { last_night, sets, done, controllers } = tonight.data;
  const away = controllers.filter((c) => c.trouble && c.armed);
  const unfit = (plan.data?.unfit ?? []).filter((u) => u.supply !== "");
  if (sets.length === 0 && done.length === 0 && away.length === 0 && unfit.length === 0 && !audit.data?.line)
    return null;
  const odd = done.some((s) => s.state === "failed" || s.state === "cut short" || s.unsure);
  return (
    <section aria-label={say`Sets`} className="mt-2">
      {last_night && (
        <p>
          <Link className="hover:underline" to={keep("/tonight")}>
            <b className={odd ? "text-clay" : ""}>{say`Last night`}</b> {last_night}
          </Link>
        </p>
      )}
      {sets.length > 0 && (
        <p>
          <Link className="hover:underline" to={keep("/tonight")}>
            <b>{say`Tonight`}</b> {tonight.data.tonight}
          </Link>
        </p>
      )}
      {audit.data?.line && (
        <p>
          <Link className="hover:underline" to={keep("/audit")}>
            <b>{say`Audit`}</b> {audit.data.line.text}
          </Link>
        </p>
      )}
      {unfit.length > 0 && (
        <p>
          <Link className="hover:underline" to={keep("/plan")}>
            <b className="text-clay">{say`No place in ${DAYS} days`}</b>{" "}
            {unfit
              .map((u) => `${u.name}${u.parts > 1 ? say`, ${u.left} of ${u.parts} parts` : ""}: ${u.lacks}`)
              .join("; ")}
            .
          </Link>
        </p>
      )}
      {away.map((c) => (
        <p
          key={c.key}
          role="alert"
          className="font-bold text-clay"
        >{say`${c.name} is not reached: ${c.trouble}.`}</p>
      ))}
    </section>
  );
}
