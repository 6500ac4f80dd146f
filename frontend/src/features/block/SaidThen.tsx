import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, unwrap } from "../../api/client";
import { useUnits } from "../../app/farm";
import { dayMonth, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say } from "../../lib/words";

const GROUPS = { act: say`water`, coming: say`coming up`, leave: say`leave`, none: say`no advice` } as const;

/** What was said on the last mornings, beside what would be said of them now, and what came between. */
export function SaidThen({ blockKey }: { blockKey: string }) {
  const [open, setOpen] = useState(false);
  return (
    <details className="mt-3 border-t border-rule pt-2" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer font-bold">{say`What was said on past mornings`}</summary>
      {open && <Mornings blockKey={blockKey} />}
    </details>
  );
}

function Mornings({ blockKey }: { blockKey: string }) {
  const found = useQuery({
    queryKey: ["said-then", blockKey],
    queryFn: async () =>
      unwrap(await api.GET("/api/blocks/{key}/said-then", { params: { path: { key: blockKey } } })),
  });
  if (found.isPending) return <p className="secondary">{say`Looking back …`}</p>;
  if (found.isError) return <p>{found.error.message}</p>;
  if (found.data.mornings.length === 0) return <p>{say`No morning is kept yet.`}</p>;
  return (
    <ul className="text-[13.5px]">
      {found.data.mornings.map((m) => (
        <li key={m.day} className="border-t border-rule py-1">
          <b>{dayMonth(wall(`${m.day}T06:00`))}:</b> <Said one={m.then} />
          {m.differs && (
            <p>
              {say`Now it would be:`} <Said one={m.now} />{" "}
              <span className="secondary">{say`Since then: ${m.causes.join(", ")}.`}</span>
            </p>
          )}
        </li>
      ))}
    </ul>
  );
}

function Said({ one }: { one: Schemas["AnswerOut"] }) {
  const units = useUnits();
  return (
    <>
      {GROUPS[one.group]}
      {one.group !== "leave" && one.net_mm !== null && say`, ${show(one.net_mm, "depth", units)} net`}.{" "}
      {one.words}
    </>
  );
}
