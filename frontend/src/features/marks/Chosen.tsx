import { useState } from "react";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf, useApply } from "../../app/records";
import { useMay } from "../../app/session";
import { dated } from "../../lib/dates";
import { show } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import type { Marks } from "./queries";
import { figure } from "./words";

/** Picked marks, the newest first; what is in force can be withdrawn. */
export function Chosen({ marks }: { marks: Marks }) {
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const may = useMay();
  const [trouble, setTrouble] = useState("");
  if (marks.chosen.length === 0) return null;
  const withdraw = async (body: Record<string, unknown>) => {
    try {
      await apply.mutateAsync({ mark_choices: [{ ...body, withdrawn: momentOf(farm) }] as never });
      setTrouble("");
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  return (
    <section aria-label={say`Picked`} className="mt-6">
      <h2 className="text-[17px] font-bold">{say`Picked marks`}</h2>
      {trouble && <p className="font-bold text-clay">{trouble}</p>}
      <ul>
        {[...marks.chosen].reverse().map(({ key, body, state }) => {
          const said = body as Record<string, string | number | null>;
          return (
            <li key={key} className="border-b border-rule py-1.5">
              {sayWith`${(
                <b className={state === "withdrawn" ? "line-through" : ""}>
                  {sayCode(String(said.mark))} {figure(Number(said.value), String(said.how), units)}
                </b>
              )}${
                said.top_cm !== null &&
                say`, ${show(Number(said.top_cm), "soilDepth", units, false)} to ${show(Number(said.bottom_cm), "soilDepth", units)}`
              }${said.stage ? say`, ${said.stage}` : ""}, from ${dated(String(said.valid_from))}: ${state}. ${said.estimator}${said.estimator ? ": " : ""}${said.note}`}{" "}
              {said.who && <span className="secondary">({said.who})</span>}
              {may("mark_choices") && said.withdrawn === null && (
                <button
                  type="button"
                  className="ml-3 underline"
                  disabled={apply.isPending}
                  onClick={() => void withdraw(body)}
                >{say`withdraw`}</button>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
