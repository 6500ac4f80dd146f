import { useState } from "react";
import type { Schemas } from "../../api/client";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useUnits } from "../../app/farm";
import { clock, day, wall } from "../../lib/dates";
import { hoursWords } from "../../lib/numbers";
import { quantity, show, toServer } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import type { Told } from "./queue";

type Night = Schemas["NightSetOut"];
export type Tell = (entry: Omit<Told, "note" | "at"> & { at?: string; note?: string }) => void;

interface NightSetProps {
  set: Night;
  told: Tell | undefined;
  waiting: boolean;
}

const hm = (iso: string) => clock(wall(iso));

/** A set of tonight or last night: where, what it does now, and the buttons for whoever stands at the valve. */
export function NightSet({ set, told, waiting }: NightSetProps) {
  const units = useUnits();
  const name = set.shift && set.shift !== "all" ? `${set.name}, ${set.shift}` : set.name;
  return (
    <li className="grid grid-cols-[4.6rem_minmax(0,1fr)] gap-x-3 border-t border-rule py-2">
      <span className="figure text-[19px] font-bold">
        {hm(set.start)}
        <span className="secondary block text-[12px]! font-normal">{day(wall(set.start)).slice(0, 6)}</span>
      </span>
      <div>
        <p className="text-[17px] font-bold">{name}</p>
        <p className="secondary">
          {[set.valve && say`valve ${set.valve}`, set.tag, set.supply_name].filter(Boolean).join(", ")}
        </p>
        <p>
          {stateWords(set)}
          <span className="secondary">
            {" "}
            {say`${show(set.net_mm, "depth", units)} net, ${show(set.volume_m3, "volume", units)}`}
          </span>
        </p>
        {set.note && <p>{sayCode(set.note)}</p>}
        {set.ran_hours !== null && set.ran_end && (
          <p className="secondary">{say`Ran ${hm(set.ran_start ?? set.start)} to ${hm(set.ran_end)}, ${show(set.ran_m3 ?? 0, "volume", units)} ${set.water_from === "measured" ? say`by the meter` : say`by flow and time`}.`}</p>
        )}
        {waiting && <p className="font-bold">{say`Kept on this phone until there is a signal.`}</p>}
        {told && !waiting && <Acts set={set} told={told} />}
      </div>
    </li>
  );
}

/** "runs since 08:02, ends 18:25". */
function stateWords(set: Night): string {
  switch (set.state) {
    case "running":
      return say`runs since ${hm(set.ran_start ?? set.start)}, ends ${hm(set.end)}.`;
    case "approved":
      if (set.unsure) return say`was planned; nobody said whether it ran.`;
      return set.by_hand
        ? say`by hand${set.pulses > 1 ? say` in ${set.pulses} pulses` : ""}, ends ${hm(set.end)} (${hoursWords(set.hours)}).`
        : set.armed
          ? say`starts automatically, ends ${hm(set.end)}.`
          : say`waits: ${set.supply_name} is not armed. Would end ${hm(set.end)}.`;
    case "sent":
    case "confirmed":
      return say`the controller has it, ends ${hm(set.end)}.`;
    case "cut short":
      return say`cut short: ${hoursWords(set.ran_hours ?? 0)} of ${hoursWords(set.hours)}.`;
    case "failed":
      return say`did not run.`;
    default:
      return say`${set.state}: ${hoursWords(set.ran_hours ?? set.hours)}.`;
  }
}

function Acts({ set, told }: { set: Night; told: Tell }) {
  const [asks, setAsks] = useState<"" | "meter" | "hours">("");
  const key = (what: string) => `${set.key}-${what}`;
  const over = ["done", say`cut short`, "failed"].includes(set.state) || set.unsure;
  const waits = set.state === "approved" && !set.unsure;
  return (
    <div className="no-print mt-1.5 flex flex-wrap gap-2">
      {waits && (
        <Button
          kind={set.by_hand ? "act" : "plain"}
          onClick={() => told({ key: key("start"), planned: set.key, what: "start" })}
        >
          {set.by_hand ? say`Start` : say`Started by hand`}
        </Button>
      )}
      {set.state === "running" && set.by_hand && (
        <Button
          kind="ink"
          onClick={() => told({ key: key("stop"), planned: set.key, what: "stop" })}
        >{say`Stop`}</Button>
      )}
      {set.unsure && (
        <>
          <Button
            kind="act"
            onClick={() => told({ key: key("ran"), planned: set.key, what: "ran" })}
          >{say`It ran as planned`}</Button>
          <Button
            onClick={() => told({ key: key("not"), planned: set.key, what: "did not run" })}
          >{say`It did not run`}</Button>
        </>
      )}
      {over && <Button onClick={() => setAsks("hours")}>{say`Hours …`}</Button>}
      {(over || set.state === "running") && <Button onClick={() => setAsks("meter")}>{say`Meter …`}</Button>}
      <HoursDialog set={set} told={told} open={asks === "hours"} close={() => setAsks("")} />
      <MeterDialog set={set} told={told} open={asks === "meter"} close={() => setAsks("")} />
    </div>
  );
}

interface DialogProps {
  set: Night;
  told: Tell;
  open: boolean;
  close: () => void;
}

const numberIn = (form: FormData, name: string) => {
  const text = textIn(form, name).replace(",", ".");
  return text === "" ? null : Number(text);
};

function HoursDialog({ set, told, open, close }: DialogProps) {
  const units = useUnits();
  return (
    <FormDialog
      title={say`How long did ${set.name} run?`}
      label={say`Save`}
      open={open}
      close={close}
      store={async (form) => {
        const depth = numberIn(form, "gross");
        told({
          key: `${set.key}-ran`,
          planned: set.key,
          what: "ran",
          hours: numberIn(form, "hours"),
          gross_mm: depth === null ? null : toServer(depth, "depth", units),
        });
      }}
    >
      {() => (
        <>
          <Field
            label={say`Hours it ran`}
            name="hours"
            inputMode="decimal"
            hint={say`either one is enough`}
          />
          <Field
            label={say`Gross depth over the block, ${quantity("depth", units).unit}`}
            name="gross"
            inputMode="decimal"
          />
        </>
      )}
    </FormDialog>
  );
}

function MeterDialog({ set, told, open, close }: DialogProps) {
  const units = useUnits();
  const unit = quantity("volume", units).unit;
  const read = (form: FormData, name: string) => {
    const typed = numberIn(form, name);
    return typed === null ? null : toServer(typed, "volume", units);
  };
  return (
    <FormDialog
      title={say`Meter of ${set.name}`}
      label={say`Save`}
      open={open}
      close={close}
      store={async (form) =>
        told({
          key: `${set.key}-meter`,
          planned: set.key,
          what: "meter",
          meter_before_m3: read(form, "before"),
          meter_after_m3: read(form, "after"),
        })
      }
    >
      {() => (
        <>
          <Field label={say`Reading before, ${unit}`} name="before" inputMode="decimal" />
          <Field
            label={say`Reading after, ${unit}`}
            name="after"
            inputMode="decimal"
            hint={say`may come later`}
          />
        </>
      )}
    </FormDialog>
  );
}
