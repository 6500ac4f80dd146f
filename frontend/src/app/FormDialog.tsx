import { type FormEvent, type ReactNode, useState } from "react";
import { say } from "../lib/words";
import { Button } from "../ui/Button";
import { Sheet } from "../ui/Sheet";
import { errorsOf } from "./records";

interface FormDialogProps {
  title: string;
  open: boolean;
  close: () => void;
  store: (form: FormData) => Promise<unknown>;
  label: string;
  children: (refused: Record<string, string>) => ReactNode;
}

/** A small form in a dialog that closes only when it is stored. */
export function FormDialog({ title, open, close, store, label, children }: FormDialogProps) {
  const [refused, setRefused] = useState<Record<string, string>>({});
  const [pending, setPending] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    setPending(true);
    try {
      await store(new FormData(event.currentTarget));
      setRefused({});
      close();
    } catch (error) {
      setRefused(
        Object.fromEntries(
          errorsOf(error).map((e) => [
            e.path
              .split(/[.[\]]+/)
              .filter(Boolean)
              .pop() ?? "",
            e.reason,
          ]),
        ),
      );
    } finally {
      setPending(false);
    }
  };
  const shown = Object.values(refused);
  return (
    <Sheet title={title} open={open} close={close}>
      <form className="mt-3 grid gap-3" noValidate onSubmit={(e) => void submit(e)}>
        {children(refused)}
        {shown.length > 0 && (
          <p role="alert" className="font-bold text-clay">{say`Nothing was saved: ${shown.join("; ")}`}</p>
        )}
        <div className="flex gap-3">
          <Button kind="ink" type="submit" disabled={pending}>
            {label}
          </Button>
          <Button onClick={close}>{say`Cancel`}</Button>
        </div>
      </form>
    </Sheet>
  );
}

export interface SheetDialogProps<S> {
  sheet: S;
  open: boolean;
  close: () => void;
}

export const textIn = (form: FormData, name: string) => String(form.get(name) ?? "").trim();
