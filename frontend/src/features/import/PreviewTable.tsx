import type { UseQueryResult } from "@tanstack/react-query";
import { Refusal, type Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { clock, day, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import type { Plan } from "./queries";

interface PreviewProps {
  preview: UseQueryResult<Schemas["PreviewOut"]>;
  plan: Plan;
  head: string[];
  sensors: Schemas["SensorOut"][];
}

/** The first lines as they stand, and the first rows as they would be stored. */
export function PreviewTable({ preview, plan, head, sensors }: PreviewProps) {
  const units = useUnits();
  const depth = new Map(sensors.map((s) => [s.ref, s.depth_cm]));
  return (
    <>
      <pre className="figure mt-2 relative overflow-x-auto border-l-2 border-rule pl-2 text-[12px] text-ink-2">
        {head.slice(0, 4).join("\n")}
      </pre>
      {plan.columns.length === 0 && <p className="mt-3">{say`Choose a sensor for at least one column.`}</p>}
      {preview.isError && <PlanErrors error={preview.error} plan={plan} />}
      {preview.data && plan.columns.length > 0 && (
        <>
          <div className="mt-3 relative overflow-x-auto">
            <table className="w-full text-right">
              <thead className="secondary">
                <tr>
                  <th className="py-1 pr-3 text-left font-normal">{say`farm time`}</th>
                  {plan.columns.map((c) => (
                    <th key={c.column} className="pl-2 font-normal" title={c.sensor}>
                      {show(depth.get(c.sensor) ?? 0, "soilDepth", units)}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody className="figure text-[12.5px]">
                {preview.data.rows.slice(0, 6).map((row) => (
                  <tr key={row.line} className="border-t border-rule">
                    <td className="py-0.5 pr-3 text-left whitespace-nowrap">
                      {day(wall(row.local))} {clock(wall(row.local))}
                    </td>
                    {plan.columns.map((c) => (
                      <td key={c.column} className="pl-2">
                        {row.values[c.column] ?? "–"}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {preview.data.refusals.length > 0 && (
            <Refusals refusals={preview.data.refusals} title={say`Would be refused, among the first rows`} />
          )}
        </>
      )}
    </>
  );
}

function PlanErrors({ error, plan }: { error: Error; plan: Plan }) {
  const errors = error instanceof Refusal ? error.errors : [{ path: "", reason: error.message }];
  return (
    <ul role="alert" className="mt-3 font-bold text-clay">
      {errors.map((e) => {
        const index = Number(/columns\[(\d+)\]/.exec(e.path)?.[1] ?? -1);
        const column = plan.columns[index]?.column;
        return (
          <li key={e.path + e.reason}>
            {column ? `${column}: ` : ""}
            {e.reason}
          </li>
        );
      })}
    </ul>
  );
}

/** Refused rows and cells with line, column and reason. */
export function Refusals({ refusals, title }: { refusals: Schemas["RefusalOut"][]; title: string }) {
  return (
    <div className="mt-3">
      <h3 className="font-bold">{title}</h3>
      <ul className="mt-1 max-h-56 overflow-auto border-t border-rule">
        {refusals.map((r) => (
          <li key={`${r.line}${r.column}${r.reason}${r.text}`} className="border-b border-rule py-1">
            <span className="figure">{say`line ${r.line}`}</span>
            {r.column && <b> · {r.column}</b>}: {r.reason}
            {r.text && <span className="figure secondary"> [{r.text}]</span>}
          </li>
        ))}
      </ul>
    </div>
  );
}
