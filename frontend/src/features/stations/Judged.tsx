import { useState } from "react";
import { useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { useDecide } from "./queries";

interface JudgedProps {
  kind: "faults" | "suspicions";
  id: number;
  title: string;
  words: string;
  verdict: string;
  note: string;
  /** A fault without readings, such as a gap: there is nothing to use or not. */
  plain?: boolean;
}

/** A fault or a suspicion with what the rule says, and what a person says of it. */
export function Judged({ kind, id, title, words, verdict, note, plain }: JudgedProps) {
  const decide = useDecide(kind);
  const may = useMay();
  const [who] = useWho();
  const [typing, setTyping] = useState(false);
  const [text, setText] = useState("");
  const send = (next: "" | "accepted" | "overruled") => {
    decide.mutate({ id, verdict: next, note: text, who });
    setTyping(false);
  };
  const said = { overruled: say`overruled`, accepted: say`accepted` }[verdict] ?? "";
  return (
    <li className="border-t border-rule py-2">
      <p className="flex flex-wrap justify-between gap-x-4">
        <b>{title}</b>
        <span>
          {said} <span className="secondary">{note}</span>
        </span>
      </p>
      <p>{words}</p>
      {!plain && !typing && may("verdicts") && (
        <p className="flex gap-4">
          {verdict !== "accepted" && (
            <button
              type="button"
              className="underline"
              onClick={() => send("accepted")}
            >{say`confirm the fault`}</button>
          )}
          {verdict !== "overruled" && (
            <button
              type="button"
              className="underline"
              onClick={() => setTyping(true)}
            >{say`use the readings`}</button>
          )}
          {verdict !== "" && (
            <button
              type="button"
              className="underline"
              onClick={() => send("")}
            >{say`undo the decision`}</button>
          )}
        </p>
      )}
      {typing && (
        <div className="mt-1 flex flex-wrap items-end gap-3">
          <Field
            label={say`Why the readings are right`}
            value={text}
            onChange={(e) => setText(e.target.value)}
            className="w-72"
          />
          <Button
            disabled={text.trim() === ""}
            onClick={() => send("overruled")}
          >{say`Use the readings`}</Button>
          <Button kind="quiet" onClick={() => setTyping(false)}>{say`Cancel`}</Button>
        </div>
      )}
    </li>
  );
}
