import { useState } from "react";
import { type Schemas, smaller } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { momentOf, newKey, useWho } from "../../app/records";
import { dayMonth, wall } from "../../lib/dates";
import { rawUnitWord, show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { type HandSensor, range, typed, whyAskAgain } from "./asking";
import { NumberPad, pressed } from "./NumberPad";
import { addressOf, enqueue } from "./queue";

type HandStation = Schemas["HandStation"];

/** One station of the round: a value a depth, from the surface down; what looks wrong is asked again. */
export function StationEntry({ station, stored }: { station: HandStation; stored: () => void }) {
  const farm = useFarm();
  const [who, setWho] = useWho();
  const [values, setValues] = useState<Record<string, string>>({});
  const [kept, setKept] = useState<Record<string, boolean>>({});
  const [active, setActive] = useState(station.sensors[0]?.key ?? "");
  const [note, setNote] = useState("");
  const [photo, setPhoto] = useState("");
  const [wrong, setWrong] = useState("");
  const [asking, setAsking] = useState(false);
  const entered = station.sensors.filter((s) => typed(values[s.key] ?? "") !== undefined);
  const doubtful = entered.filter(
    (s) => !kept[s.key] && whyAskAgain(typed(values[s.key] ?? "") ?? 0, s) !== "",
  );
  const change = (key: string, text: string) => {
    setValues({ ...values, [key]: text });
    setKept({ ...kept, [key]: false });
    setAsking(false);
  };
  const store = () => {
    if (entered.length === 0 && note === "" && photo === "") return setWrong(say`Type a value, or a note.`);
    if (doubtful.length > 0) return setAsking(true);
    const readings = entered.map((s) => ({
      sensor: s.key,
      value: typed(values[s.key] ?? "") ?? 0,
      confirmed: kept[s.key] ?? false,
    }));
    const entry = { key: newKey("h", farm), station: station.ref, at: momentOf(farm), who, note, readings };
    try {
      enqueue(entry, photo);
    } catch {
      return setWrong(say`This phone is full. Send what waits, or leave the photo out.`);
    }
    setValues({});
    setNote("");
    setPhoto("");
    setWrong("");
    stored();
  };
  return (
    <section aria-label={station.name}>
      <ul>
        {station.sensors.map((s) => (
          <DepthRow
            key={s.key}
            sensor={s}
            text={values[s.key] ?? ""}
            active={active === s.key}
            choose={() => setActive(s.key)}
            change={(text) => change(s.key, text)}
            doubt={asking && doubtful.includes(s)}
            keep={() => setKept({ ...kept, [s.key]: true })}
          />
        ))}
      </ul>
      <NumberPad press={(key) => change(active, pressed(values[active] ?? "", key))} />
      <details className="mt-3 max-w-sm" open={note !== "" || photo !== ""}>
        <summary className="min-h-8 cursor-pointer font-bold">{say`A note or a photo`}</summary>
        <Field label={say`What was seen`} value={note} onChange={(e) => setNote(e.target.value)} />
        <Field label={say`Who`} value={who} onChange={(e) => setWho(e.target.value)} />
        <label>
          <span className="block text-[13px] font-bold">{say`Photo`}</span>
          <input
            type="file"
            accept="image/*"
            capture="environment"
            onChange={async (e) => {
              const file = e.target.files?.[0];
              setPhoto(file ? await addressOf(await smaller(file)) : "");
            }}
          />
        </label>
      </details>
      <div className="mt-2 grid max-w-sm gap-2">
        {wrong && (
          <p role="alert" className="font-bold text-clay">
            {wrong}
          </p>
        )}
        <Button kind="ink" className="min-h-14" onClick={store}>{say`Save readings`}</Button>
      </div>
    </section>
  );
}

interface DepthRowProps {
  sensor: HandSensor;
  text: string;
  active: boolean;
  choose: () => void;
  change: (text: string) => void;
  doubt: boolean;
  keep: () => void;
}

function DepthRow({ sensor, text, active, choose, change, doubt, keep }: DepthRowProps) {
  const units = useUnits();
  const depth = show(sensor.depth_cm, "soilDepth", units);
  const value = typed(text);
  const unit = rawUnitWord(sensor.unit, units);
  return (
    <li className="border-t border-rule py-2">
      <label className="flex items-center gap-3">
        <b className="w-16 text-[20px]">{depth}</b>
        <input
          value={text}
          inputMode="none"
          aria-label={say`Value at ${depth} in ${unit}`}
          onFocus={choose}
          onChange={(e) => change(e.target.value)}
          className={`figure w-28 rounded-sheet border bg-panel px-2 py-2 text-right text-[24px] ${active ? "border-2 border-ink" : "border-rule"}`}
        />
        <span>{unit}</span>
        <span className="secondary ml-auto text-right">
          {sensor.last === null
            ? say`not read yet`
            : say`last ${sensor.last}, ${dayMonth(wall(sensor.last_at ?? ""))}`}
          <br />
          {range(sensor)}
        </span>
      </label>
      {doubt && value !== undefined && (
        <p role="alert" className="mt-1">
          {sayWith`${<b className="text-clay">{say`${value} ${unit} is ${whyAskAgain(value, sensor)}.`}</b>} Is it what the meter shows?`}{" "}
          <Button kind="plain" onClick={keep}>{say`Yes, save it`}</Button>
        </p>
      )}
    </li>
  );
}
