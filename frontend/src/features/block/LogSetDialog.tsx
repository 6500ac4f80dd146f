import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from "@headlessui/react";
import { type FormEvent, useState } from "react";
import { Refusal } from "../../api/client";
import { useUnits } from "../../app/farm";
import { quantity, toServer } from "../../lib/units";
import { Field } from "../../ui/Field";
import { useLogSet } from "./queries";

interface DialogProps {
  blockKey: string;
  asOf: string;
  open: boolean;
  close: () => void;
}

/** Write down an irrigation that was applied. */
export function LogSetDialog({ blockKey, asOf, open, close }: DialogProps) {
  const units = useUnits();
  const log = useLogSet(blockKey);
  const [refused, setRefused] = useState<Record<string, string>>({});
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const number = (name: string) => Number(String(form.get(name)).replace(",", "."));
    try {
      await log.mutateAsync({
        start: String(form.get("start")),
        hours: number("hours"),
        gross_mm: toServer(number("gross_mm"), "depth", units),
        note: String(form.get("note") ?? ""),
      });
      setRefused({});
      close();
    } catch (error) {
      const errors = error instanceof Refusal ? error.errors : [{ path: "start", reason: String(error) }];
      setRefused(Object.fromEntries(errors.map((e) => [e.path.split(".").pop() ?? "", e.reason])));
    }
  };
  return (
    <Dialog open={open} onClose={close} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/40" />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className="sheet w-full max-w-md p-5">
          <DialogTitle className="text-[17px] font-bold">Log a set</DialogTitle>
          <form className="mt-3 grid gap-3" onSubmit={submit}>
            <Field
              label="Started, farm time"
              name="start"
              type="datetime-local"
              defaultValue={asOf.slice(0, 16)}
              error={refused.start}
              required
            />
            <Field label="Ran for, hours" name="hours" inputMode="decimal" error={refused.hours} required />
            <Field
              label={`Gross depth, ${quantity("depth", units).unit}`}
              name="gross_mm"
              inputMode="decimal"
              error={refused.gross_mm}
              required
            />
            <Field label="Note" name="note" error={refused.note} />
            <div className="flex gap-3">
              <button
                type="submit"
                className="rounded-sheet bg-ink px-4 py-1.5 font-bold text-panel"
                disabled={log.isPending}
              >
                Store the set
              </button>
              <button type="button" className="rounded-sheet border border-ink px-4 py-1.5" onClick={close}>
                Leave it
              </button>
            </div>
          </form>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
