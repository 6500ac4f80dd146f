import { useState } from "react";
import { quantity, toServer } from "../../lib/units";
import { say } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";
import { FormDialog, textIn } from "../FormDialog";
import { useUnits } from "../farm";
import { type ActingProps, numberIn } from "./LogSetDialog";
import { useOrder } from "./queries";

const SEEN = ["lodging", "disease", "ripe", "hail", "frost"] as const;

/** Order a hold or a set over the advice, with the reason; the Round shows it until its last day. */
export function OrderDialog({ blockKey, blockName, asOf, open, close }: ActingProps) {
  const units = useUnits();
  const order = useOrder(blockKey);
  const [action, setAction] = useState<"hold" | "water" | "end">("hold");
  const [seen, setSeen] = useState<(typeof SEEN)[number]>("lodging");
  const store = (form: FormData) =>
    order.mutateAsync({
      action,
      seen: action === "end" ? seen : "",
      until: textIn(form, "until"),
      net_mm: textIn(form, "net_mm") ? toServer(numberIn(form, "net_mm"), "depth", units) : null,
      note: textIn(form, "note"),
    });
  return (
    <FormDialog
      title={say`Override the advice · ${blockName}`}
      open={open}
      close={close}
      store={store}
      label={say`Save override`}
    >
      {(refused) => (
        <>
          <Choice
            label={say`What to do`}
            value={action}
            options={[
              { value: "hold", label: say`Postpone: no water` },
              { value: "water", label: say`Water in any case` },
              { value: "end", label: say`End irrigation: no more water this season` },
            ]}
            change={(value) => setAction(value as "hold" | "water" | "end")}
          />
          {action === "end" && (
            <Choice
              label={say`Seen in the crop`}
              value={seen}
              options={SEEN.map((s) => ({ value: s, label: s }))}
              change={(value) => setSeen(value as (typeof SEEN)[number])}
              error={refused.seen}
            />
          )}
          <Field
            label={action === "end" ? say`Holds until` : say`Until the end of`}
            name="until"
            type="date"
            defaultValue={asOf.slice(0, 10)}
            error={refused.until}
            required
          />
          {action === "water" && (
            <Field
              label={say`Net depth, ${quantity("depth", units).unit}`}
              name="net_mm"
              inputMode="decimal"
              hint={say`left empty: what the root zone lacks`}
              error={refused.net_mm}
            />
          )}
          <Field
            label={say`Why`}
            name="note"
            hint={say`shown on the Round beside the block`}
            error={refused.note}
            required
          />
        </>
      )}
    </FormDialog>
  );
}
