import { useState } from "react";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf, newKey, useApply, useWho } from "../../app/records";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { Sheet } from "../../ui/Sheet";
import { PickWouldDo } from "./PickWouldDo";
import type { Marks, Pick } from "./queries";
import { asTyped, typedMark, unitOf } from "./words";

interface Props {
  marks: Marks;
  picks: Pick[];
  title: string;
  close: () => void;
}

const STAGES = ["", "initial", "development", "mid", "late"];

/** One mark, or several at once, put in force from a day on, with the reason. */
export function PickDialog({ marks, picks, title, close }: Props) {
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const [who, setWho] = useWho();
  const first = picks[0];
  const [value, setValue] = useState(first ? asTyped(first.value, first.how, units) : "");
  const [stage, setStage] = useState(first?.stage ?? "");
  const [from, setFrom] = useState(momentOf(farm).slice(0, 10));
  const [note, setNote] = useState("");
  const [trouble, setTrouble] = useState<Record<string, string>>({});
  if (!first) return null;
  const store = async () => {
    if (note.trim() === "") {
      setTrouble({ note: say`say why, so that the next person can tell` });
      return;
    }
    try {
      await apply.mutateAsync({
        mark_choices: picks.map((pick, i) => ({
          ...pick,
          value: picks.length === 1 ? typedMark(value, pick.how, units) : pick.value,
          key: `${newKey("mark", farm)}-${i}`,
          block: marks.block,
          stage: stage as "" | "mid",
          valid_from: from,
          note: note.trim(),
          who,
        })) as never,
      });
      close();
    } catch (error) {
      setTrouble(Object.fromEntries(errorsOf(error).map((e) => [e.path.split(".").pop() ?? "", e.reason])));
    }
  };
  const other = Object.entries(trouble).filter(([field]) => !["value", "note", "valid_from"].includes(field));
  return (
    <Sheet title={title} close={close} width="max-w-xl">
      <form
        noValidate
        className="mt-3 grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void store();
        }}
      >
        {picks.length === 1 && (
          <Field
            label={say`Value, ${unitOf(first.how, units)}`}
            inputMode="decimal"
            value={value}
            error={trouble.value}
            onChange={(e) => setValue(e.target.value)}
          />
        )}
        <div className="grid grid-cols-2 gap-3">
          <Field
            label={say`From`}
            type="date"
            value={from}
            error={trouble.valid_from}
            onChange={(e) => setFrom(e.target.value)}
          />
          <Choice
            label={say`Stage`}
            value={stage}
            options={STAGES.map((s) => ({ value: s, label: s || say`all stages` }))}
            change={(s) => setStage(s as typeof stage)}
          />
        </div>
        <PickWouldDo
          block={marks.block}
          stage={stage}
          picks={picks.map((pick) =>
            picks.length === 1 ? { ...pick, value: typedMark(value, pick.how, units) } : pick,
          )}
        />
        <Field label={say`Why`} value={note} error={trouble.note} onChange={(e) => setNote(e.target.value)} />
        <Field label={say`Who`} value={who} onChange={(e) => setWho(e.target.value)} />
        {other.map(([field, reason]) => (
          <p key={field} className="font-bold text-clay">
            {reason}
          </p>
        ))}
        <p className="secondary">{say`It holds from this day on. What was advised before stays as it was; it can be withdrawn, not changed.`}</p>
        <p className="flex gap-3">
          <Button kind="ink" type="submit" disabled={apply.isPending}>{say`Use from this day`}</Button>
          <Button onClick={close}>{say`Cancel`}</Button>
        </p>
      </form>
    </Sheet>
  );
}
