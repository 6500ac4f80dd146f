import { type ReactNode, useState } from "react";
import { useUnits } from "../../app/farm";
import { say, sayCode, sayWith } from "../../lib/words";
import type { Estimate } from "./queries";
import { figure, range } from "./words";

interface Props {
  estimates: Estimate[];
  pick: ((one: Estimate) => void) | null;
  /** Whether an answer says what is in force: that one is looked at first. */
  inForce: (one: Estimate) => boolean;
  /** The evidence drawn, for the answer looked at. */
  draw?: (one: Estimate) => ReactNode;
}

const SURE: Record<string, string> = {
  good: say`good`,
  fair: say`fair`,
  poor: say`rough`,
  none: say`no answer`,
};
const SAME_THETA = 5e-4;

/** Whether an answer in m³/m³ says a water content that is in force. */
export const saysTheta = (theta: number) => (one: Estimate) =>
  one.how === "theta" && one.value !== null && Math.abs(one.value - theta) < SAME_THETA;

/** Every estimator's answer side by side; the one looked at has its evidence drawn large and its source told. */
export function Answers({ estimates, pick, inForce, draw }: Props) {
  const [name, setName] = useState<string>();
  const answering = estimates.filter((one) => one.value !== null);
  const silent = estimates.filter((one) => one.value === null);
  const shown = answering.find((one) => idOf(one) === name) ?? answering.find(inForce) ?? answering[0];
  return (
    <div className={draw && shown ? "grid gap-x-8 gap-y-3 lg:grid-cols-2" : ""}>
      <div>
        <ul>
          {answering.map((one) => (
            <Answer
              key={idOf(one)}
              one={one}
              inForce={inForce(one)}
              shown={one === shown}
              look={() => setName(idOf(one))}
              pick={pick}
            />
          ))}
        </ul>
        {silent.length > 0 && (
          <details className="secondary py-1">
            <summary>{say`No answer from: ${silent.map((one) => sayCode(one.estimator)).join(", ")}`}</summary>
            <ul className="list-disc pl-5">
              {silent.map((one) => (
                <li key={idOf(one)}>
                  {sayCode(one.estimator)}: {one.evidence}
                </li>
              ))}
            </ul>
          </details>
        )}
      </div>
      {shown && (
        <div className="min-w-0">
          {draw?.(shown)}
          <Told one={shown} />
        </div>
      )}
    </div>
  );
}

const idOf = (one: Estimate) => `${one.mark} ${one.estimator} ${one.stage}`;

interface AnswerProps {
  one: Estimate;
  inForce: boolean;
  shown: boolean;
  look: () => void;
  pick: Props["pick"];
}

function Answer({ one, inForce, shown, look, pick }: AnswerProps) {
  const units = useUnits();
  return (
    <li className={`border-b border-rule px-2 py-1 text-[14px] ${shown ? "bg-band" : ""}`}>
      <div className="flex flex-wrap items-baseline gap-x-3">
        <button
          type="button"
          aria-pressed={shown}
          className={`min-w-40 flex-1 text-left underline decoration-rule underline-offset-3 ${shown ? "font-bold" : ""}`}
          onClick={look}
        >
          {sayCode(one.estimator)}
          {inForce && <b> {say`(in force)`}</b>}
        </button>
        <span className="figure font-bold whitespace-nowrap">{figure(one.value, one.how, units)}</span>
        <span className="figure w-28 text-[13px] whitespace-nowrap text-ink-2 max-sm:hidden">
          {range(one, units)}
        </span>
        <span className="w-14">{SURE[one.confidence]}</span>
        {pick && (
          <button
            type="button"
            className="no-print w-10 text-right underline"
            aria-label={say`pick ${one.estimator} for ${one.mark}`}
            onClick={() => pick(one)}
          >{say`pick`}</button>
        )}
      </div>
      <p className="secondary">{one.evidence}</p>
    </li>
  );
}

/** What the answer looked at means, and where it comes from. */
function Told({ one }: { one: Estimate }) {
  const units = useUnits();
  const { title, detail } = one.source;
  return (
    <p aria-live="polite" className="secondary mt-1 max-w-[80ch]">
      {sayWith`${(
        <b className="text-ink">
          {sayCode(one.estimator)}: {figure(one.value, one.how, units)}.
        </b>
      )} ${one.meaning && `${one.meaning}.`}`}
      <span className="block">
        {title}
        {detail && detail !== one.evidence && `: ${detail}`}.
      </span>
    </p>
  );
}
