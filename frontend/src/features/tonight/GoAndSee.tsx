import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useFarmAudit } from "../../app/audits";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Sheet } from "../../ui/Sheet";
import { type Seen, seenQueue } from "./queue";
import { RefusedLines } from "./RefusedLines";
import { useQueue } from "./useQueue";

type FollowUp = Schemas["FollowUpOut"];

const FOUND: { value: Seen["found"]; label: string }[] = [
  { value: "clogged", label: say`Clogged` },
  { value: "broken", label: say`Broken` },
  { value: "closed", label: say`Closed` },
  { value: "leak", label: say`A leak` },
  { value: "sensor", label: say`The sensor was wrong` },
  { value: "nothing wrong", label: say`Nothing wrong` },
  { value: "other", label: say`Something else` },
];

interface GoAndSeeProps {
  asOf: string | undefined;
  now: () => string;
  mine: boolean;
}

/** Faults of sets to go and see, ticked off with what was found; kept on this phone until there is a signal. */
export function GoAndSee({ asOf, now, mine }: GoAndSeeProps) {
  const audit = useFarmAudit(asOf);
  const { list, say: tell, drop } = useQueue(seenQueue);
  const [open, setOpen] = useState<FollowUp>();
  const told = new Set(list.map((w) => w.entry.key));
  const lines = audit.data?.follow_ups ?? [];
  if (lines.length === 0 && list.length === 0) return null;
  return (
    <section aria-label={say`Go and see`} className="mt-5">
      <h2 className="text-[16px] font-bold">{say`Go and see`}</h2>
      <ol>
        {lines.map((one) => (
          <li key={one.key} className="flex items-start justify-between gap-3 border-t border-rule py-2">
            <span>
              <b>{one.name}</b> {one.words}
              {one.where && <span className="secondary"> {sayCode(one.where)}</span>}
              {told.has(keyOf(one)) && (
                <b className="block">{say`Kept on this phone until there is a signal.`}</b>
              )}
            </span>
            {mine && !told.has(keyOf(one)) && (
              <Button className="shrink-0" onClick={() => setOpen(one)}>{say`Seen …`}</Button>
            )}
          </li>
        ))}
      </ol>
      <RefusedLines list={list} drop={drop} />
      {open && <Found fault={open} close={() => setOpen(undefined)} tell={tell} now={now} />}
    </section>
  );
}

/** One fault, seen once: its key makes sending it again harmless. */
const keyOf = (one: FollowUp) =>
  `seen-${one.block}-${one.fault.replaceAll(" ", "-")}-${one.start.slice(0, 10)}`;

interface FoundProps {
  fault: FollowUp;
  close: () => void;
  tell: (entry: Seen) => void;
  now: () => string;
}

function Found({ fault, close, tell, now }: FoundProps) {
  const [note, setNote] = useState("");
  const choose = (found: Seen["found"]) => {
    const { block, start } = fault;
    tell({ key: keyOf(fault), block, fault: fault.fault, start, at: now(), found, note, who: "" });
    close();
  };
  return (
    <Sheet title={say`What was it at ${fault.name}?`} open close={close}>
      <p className="mt-2">{fault.words}</p>
      <Field className="mt-3" label={say`Note`} value={note} onChange={(e) => setNote(e.target.value)} />
      <p className="mt-3 grid grid-cols-2 gap-2">
        {FOUND.map((one) => (
          <Button key={one.value} onClick={() => choose(one.value)}>
            {one.label}
          </Button>
        ))}
      </p>
      <p className="secondary mt-3">{say`Before you touch a valve or a pump: look for people and machines in the field, and lock out what you work on.`}</p>
    </Sheet>
  );
}
