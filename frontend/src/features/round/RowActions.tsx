import { useEffect, useState } from "react";
import type { BlockAdvice } from "../../api/client";
import { LogSetDialog } from "../../app/acting/LogSetDialog";
import { OrderDialog } from "../../app/acting/OrderDialog";
import { useMay } from "../../app/session";
import { isTyping } from "../../app/shortcuts";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";

interface ActionsProps {
  block: BlockAdvice;
  asOf: string;
}

/** Log a set or order a hold for the chosen block, by button or by key. */
export function RowActions({ block, asOf }: ActionsProps) {
  const may = useMay();
  const [acting, setActing] = useState<"set" | "order">();
  const maySet = may("sets");
  const mayOrder = may("orders");
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isTyping(event) || document.querySelector("[role=dialog]")) return;
      const what =
        event.key === "s" && maySet ? "set" : event.key === "h" && mayOrder ? ("order" as const) : undefined;
      if (!what) return;
      event.preventDefault();
      setActing(what as "set" | "order");
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [maySet, mayOrder]);
  const dialog = { blockKey: block.key, blockName: block.name, asOf, close: () => setActing(undefined) };
  return (
    <div className="no-print mt-3 flex flex-wrap gap-3">
      {maySet && <Button onClick={() => setActing("set")}>{say`Log a set`}</Button>}
      {mayOrder && <Button onClick={() => setActing("order")}>{say`Postpone or override`}</Button>}
      <LogSetDialog {...dialog} open={acting === "set"} />
      <OrderDialog {...dialog} open={acting === "order"} />
    </div>
  );
}
