import { useState } from "react";
import type { Schemas } from "../../api/client";
import { errorsOf, type FarmDocument, useApply } from "../../app/records";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { type Refusals, refusalsByName } from "../../ui/entries";

/** What every tab of a block's set-up is given. */
export interface TabProps {
  document: Required<FarmDocument>;
  setup: Schemas["BlockSetup"];
  block: Schemas["BlockPart"];
}

/** Stores a part, keeps refusals by entry, and says when it is stored. */
export function useSaving(known: string[]) {
  const apply = useApply();
  const [refused, setRefused] = useState<Refusals>({});
  const [stored, setStored] = useState(false);
  const save = async (lists: Omit<FarmDocument, "embalse">) => {
    setStored(false);
    try {
      await apply.mutateAsync(lists);
      setRefused({});
      setStored(true);
      return true;
    } catch (error) {
      setRefused(refusalsByName(errorsOf(error), known));
      return false;
    }
  };
  return { save, refused, stored, setStored, pending: apply.isPending };
}

export function SaveLine({ stored, pending, label }: { stored: boolean; pending: boolean; label: string }) {
  return (
    <p className="mt-5 flex items-center gap-4">
      <Button kind="ink" type="submit" disabled={pending}>
        {label}
      </Button>
      {stored && <span role="status">{say`Saved.`}</span>}
    </p>
  );
}
