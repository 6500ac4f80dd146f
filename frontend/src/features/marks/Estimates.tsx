import { useState } from "react";
import { useUnits } from "../../app/farm";
import { say, sayCode } from "../../lib/words";
import type { Estimate } from "./queries";
import { figure, range } from "./words";

interface Props {
  estimates: Estimate[];
  pick: ((one: Estimate) => void) | null;
  inForce?: number;
}

const SURE: Record<string, string> = {
  good: say`good`,
  fair: say`fair`,
  poor: say`rough`,
  none: say`no answer`,
};

/** Every estimator's answer side by side: what it says, how sure it is, what it rests on. */
export function Estimates({ estimates, pick, inForce }: Props) {
  const units = useUnits();
  const [open, setOpen] = useState<string | null>(null);
  const answering = estimates.filter((one) => one.value !== null);
  const silent = estimates.filter((one) => one.value === null);
  return (
    <>
      <table className="w-full text-left text-[14px]">
        <tbody>
          {answering.map((one) => {
            const id = `${one.mark} ${one.estimator} ${one.stage}`;
            const same =
              inForce !== undefined && one.value !== null && Math.abs((one.value ?? 0) - inForce) < 5e-4;
            return (
              <tr
                key={id}
                className="border-b border-rule align-top max-sm:grid max-sm:grid-cols-[minmax(0,1fr)_auto_auto] max-sm:gap-x-2"
              >
                <th scope="row" className="w-44 py-1 pr-2 text-left font-normal">
                  {sayCode(one.estimator)}
                  {same && <b> {say`(in force)`}</b>}
                </th>
                <td className="figure w-24 py-1 pr-2 font-bold whitespace-nowrap">
                  {figure(one.value, one.how, units)}
                </td>
                <td className="figure w-24 py-1 pr-2 whitespace-nowrap text-ink-2 max-sm:hidden">
                  {range(one, units)}
                </td>
                <td className="w-20 py-1 pr-2">{SURE[one.confidence]}</td>
                <td className="py-1 text-[13px] max-sm:order-last max-sm:col-span-2 max-sm:w-auto">
                  {one.evidence}
                  {one.meaning && one.value !== null && (
                    <button
                      type="button"
                      className="ml-1 underline"
                      aria-expanded={open === id}
                      onClick={() => setOpen(open === id ? null : id)}
                    >{say`what it means`}</button>
                  )}
                  {open === id && (
                    <p>
                      {one.meaning}. {one.source.title}
                      {one.source.detail && one.source.detail !== one.evidence && `: ${one.source.detail}`}
                    </p>
                  )}
                </td>
                <td className="w-14 py-1 text-right max-sm:order-last max-sm:w-auto">
                  {pick && one.value !== null && (
                    <button
                      type="button"
                      className="underline"
                      aria-label={say`pick ${one.estimator} for ${one.mark}`}
                      onClick={() => pick(one)}
                    >{say`pick`}</button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {silent.length > 0 && (
        <details className="secondary py-1">
          <summary>{say`No answer from: ${silent.map((one) => sayCode(one.estimator)).join(", ")}`}</summary>
          <ul className="list-disc pl-5">
            {silent.map((one) => (
              <li key={`${one.estimator} ${one.stage}`}>
                {sayCode(one.estimator)}: {one.evidence}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}
