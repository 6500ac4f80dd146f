import { useState } from "react";
import { type BlockAudit, useAuditActs } from "../../app/audits";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useMay } from "../../app/session";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";

/** Whether corrections are applied, how far, and when lower sensors are read. */
export function RulesOfAudit({ audit, past }: { audit: BlockAudit; past: boolean }) {
  const may = useMay();
  const [open, setOpen] = useState(false);
  const { dose } = audit;
  return (
    <section aria-label={say`Rules of the audit`} className="secondary">
      <p>
        {say`Corrections are ${dose.mode === "applied" ? say`applied automatically` : say`offered, not applied`}, at most ${Math.round(100 * dose.most_share)} % either way. Lower sensors are read ${audit.lower_delay_h} h after a set${audit.lower_delay_entered ? "" : say`, by the soil`}.`}{" "}
        {may("audit_rules") && !past && (
          <Button kind="quiet" onClick={() => setOpen(true)}>{say`Edit`}</Button>
        )}
      </p>
      <RulesDialog audit={audit} open={open} close={() => setOpen(false)} />
    </section>
  );
}

interface DialogProps {
  audit: BlockAudit;
  open: boolean;
  close: () => void;
}

const number = (text: string) => (text === "" ? null : Number(text.replace(",", ".")));

function RulesDialog({ audit, open, close }: DialogProps) {
  const { rules } = useAuditActs(audit.key);
  const [mode, setMode] = useState<"offered" | "applied">(audit.dose.mode);
  return (
    <FormDialog
      title={say`Audit of ${audit.name}, from today`}
      label={say`Save`}
      open={open}
      close={close}
      store={async (form) =>
        rules.mutateAsync({
          mode,
          most_share: (number(textIn(form, "most_share")) ?? Number.NaN) / 100,
          lower_delay_h: number(textIn(form, "lower_delay_h")),
          note: textIn(form, "note"),
        })
      }
    >
      {(refused) => (
        <>
          <Choice
            label={say`Corrections of the dose are`}
            value={mode}
            options={[
              { value: "offered", label: say`offered; somebody takes them` },
              { value: "applied", label: say`applied automatically each morning` },
            ]}
            change={(value) => setMode(value as "offered" | "applied")}
          />
          <Field
            label={say`At most, % either way`}
            name="most_share"
            inputMode="decimal"
            defaultValue={String(Math.round(100 * audit.dose.most_share))}
            error={refused.most_share}
          />
          <Field
            label={say`Lower sensors are read, hours after a set`}
            name="lower_delay_h"
            inputMode="decimal"
            hint={say`over the next hour; leave it empty to go by the soil`}
            defaultValue={audit.lower_delay_entered ? String(audit.lower_delay_h) : ""}
            error={refused.lower_delay_h}
          />
          <Field label={say`Note`} name="note" error={refused.note} />
        </>
      )}
    </FormDialog>
  );
}
