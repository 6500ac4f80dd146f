import { useState } from "react";
import { useMay } from "../../app/session";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Sheet } from "../../ui/Sheet";
import { type Plan, usePlanActs, useWater } from "./queries";

/** Which supplies open by themselves; armed by a manager, after the cautions. */
export function Arming({ plan }: { plan: Plan }) {
  const may = useMay();
  const acts = usePlanActs();
  const [asked, setAsked] = useState<string>();
  const [said, setSaid] = useState("");
  const lanes = plan.lanes.filter((l) => l.controlled);
  const running = plan.sets.some((s) => s.state === "running" && s.valve);
  const names = plan.lanes.filter((l) => !l.controlled).map((l) => l.name);
  const stop = async () => {
    const missed = await acts.stopAll();
    setSaid(
      missed.length === 0
        ? say`All valves were told to close. Nothing is armed.`
        : say`Not reached: ${missed.join(", ")}. Its valves close at their longest time. Close them by hand.`,
    );
  };
  return (
    <section aria-label={say`Valves`} className="mt-3 border-t border-rule pt-2">
      {lanes.map((lane) => (
        <p key={lane.supply} className="flex flex-wrap items-baseline justify-between gap-2">
          <span>{sayWith`${lane.name} is ${<b>{lane.armed ? say`armed` : say`not armed`}</b>}${lane.armed ? "." : say`: approved sets wait for a person.`}`}</span>
          {may("armings") && (
            <Button
              kind="quiet"
              onClick={() => (lane.armed ? void acts.arm(lane.supply, false, false) : setAsked(lane.supply))}
            >
              {lane.armed ? say`Disarm` : say`Arm …`}
            </Button>
          )}
        </p>
      ))}
      {names.length > 0 && <p className="secondary">{say`${names.join(", ")}: opened by hand.`}</p>}
      {(running || lanes.some((l) => l.armed)) && may("running sets") && (
        <Button className="mt-2" onClick={() => void stop()}>{say`Stop all valves`}</Button>
      )}
      {said && <p role="status">{said}</p>}
      <ArmDialog
        supply={asked}
        name={lanes.find((l) => l.supply === asked)?.name ?? ""}
        close={() => setAsked(undefined)}
      />
    </section>
  );
}

function ArmDialog({ supply, name, close }: { supply: string | undefined; name: string; close: () => void }) {
  const water = useWater();
  const acts = usePlanActs();
  const [read, setRead] = useState(false);
  const arm = async () => {
    if (supply) await acts.arm(supply, true, read);
    setRead(false);
    close();
  };
  return (
    <Sheet title={say`Arm ${name}?`} open={supply !== undefined} close={close}>
      <p className="mt-2">{say`Approved sets will then open their valves at the time they are planned.`}</p>
      <ul className="mt-2 list-disc pl-5">
        {water.data?.cautions.map((words) => (
          <li key={words}>{words}</li>
        ))}
      </ul>
      <label className="mt-3 flex gap-2">
        <input type="checkbox" checked={read} onChange={(e) => setRead(e.target.checked)} />
        {say`I have read this and told the people on the farm.`}
      </label>
      <p className="mt-3 flex gap-3">
        <Button kind="ink" disabled={!read} onClick={() => void arm()}>{say`Arm`}</Button>
        <Button onClick={close}>{say`Cancel`}</Button>
      </p>
    </Sheet>
  );
}
