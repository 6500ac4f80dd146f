import { useState } from "react";
import type { Schemas } from "../../api/client";
import { errorsOf, useDelete } from "../../app/records";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { useApply } from "./queries";

type Rule = Schemas["RuleOut"];

/** The rules with their limits, reasons and sources; limits can be set for the farm, with a reason. */
export function SitingRules({ rules }: { rules: Rule[] }) {
  const [open, setOpen] = useState<string>();
  return (
    <details className="mt-5">
      <summary className="cursor-pointer underline">{say`The rules and their limits`}</summary>
      <ul className="mt-2">
        {rules.map((rule) => (
          <li key={rule.rule} className="border-t border-rule py-1.5">
            <p>
              <b>{rule.question}</b>: {rule.wanted}
              {rule.must ? say`; refuses a spot` : ""}{" "}
              {rule.kind !== "is" && (
                <button
                  type="button"
                  className="underline"
                  onClick={() => setOpen(open === rule.rule ? undefined : rule.rule)}
                >{say`change`}</button>
              )}
            </p>
            <p className="secondary">
              {rule.reason}; {rule.source}
            </p>
            {open === rule.rule && <LimitForm rule={rule} done={() => setOpen(undefined)} />}
          </li>
        ))}
      </ul>
    </details>
  );
}

function LimitForm({ rule, done }: { rule: Rule; done: () => void }) {
  const apply = useApply();
  const remove = useDelete();
  const [low, setLow] = useState(rule.low?.toString() ?? "");
  const [high, setHigh] = useState(rule.high?.toString() ?? "");
  const [reason, setReason] = useState("");
  const [trouble, setTrouble] = useState("");
  const number = (text: string) => (text.trim() === "" ? null : Number(text.replace(",", ".")));
  const store = async () => {
    try {
      await apply.mutateAsync({
        siting_limits: [{ key: rule.rule, low: number(low), high: number(high), reason }],
      });
      done();
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  return (
    <div className="mt-1 grid grid-cols-3 gap-3">
      <Field label={say`At least, ${rule.unit}`} value={low} onChange={(e) => setLow(e.target.value)} />
      <Field label={say`At most, ${rule.unit}`} value={high} onChange={(e) => setHigh(e.target.value)} />
      <Field label={say`Reason`} value={reason} error={trouble} onChange={(e) => setReason(e.target.value)} />
      <p className="col-span-3 flex gap-3">
        <Button onClick={() => void store()}>{say`Save for this farm`}</Button>
        {rule.source.startsWith("set on this farm") && (
          <Button
            kind="quiet"
            onClick={() => void remove({ kind: "siting_limits", key: rule.rule, name: say`the limit` })}
          >{say`back to common practice`}</Button>
        )}
      </p>
    </div>
  );
}
