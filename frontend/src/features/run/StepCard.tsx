import { type FormEvent, useState } from "react";
import { type Schemas, uploadPhoto } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf } from "../../app/records";
import { quantity, quantityOf, show, toInput, toServer, type UnitSystem } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { PlaceEntry } from "./PlaceEntry";
import { type Run, type RunStep, useWriteStep } from "./queries";
import { StepTimer } from "./StepTimer";

interface CardProps {
  run: Run;
  step: RunStep;
  who: string;
  next: () => void;
}

/** One step: what, why, with which caution, and the value where one matters. Big enough for a thumb. */
export function StepCard({ run, step: state, who, next }: CardProps) {
  const farm = useFarm();
  const write = useWriteStep(run);
  const { step } = state;
  const units = useUnits();
  const name = quantityOf(step.unit);
  const [value, setValue] = useState(() => {
    if (typeof state.value === "number" && name) return toInput(state.value, name, units);
    return state.value === null ? "" : String(state.value);
  });
  const [note, setNote] = useState(state.note);
  const [photo, setPhoto] = useState(state.photo);
  const [trouble, setTrouble] = useState("");
  const store = async (more: Partial<Schemas["DonePart"]> = {}) => {
    try {
      await write.mutateAsync({ id: state.id, entry: { at: momentOf(farm), who, note, photo, ...more } });
      next();
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const typed = value.trim();
    if (step.entry === "number") {
      const number = Number(typed.replace(",", "."));
      if (typed === "" || !Number.isFinite(number)) setTrouble(say`type a number`);
      else void store({ value: name ? toServer(number, name, units) : number });
    } else if (step.entry === "text") {
      if (typed === "") setTrouble(say`type what is on the tag`);
      else void store({ value: typed });
    } else if (step.entry === "choice") {
      if (typed === "") setTrouble(say`choose one`);
      else void store({ value: typed });
    } else void store();
  };
  const take = async (file: File | undefined) => {
    if (!file) return;
    try {
      setPhoto((await uploadPhoto(file)).key);
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  return (
    <form className="sheet p-5" noValidate onSubmit={submit} aria-label={say`This step`}>
      {state.depth_cm !== null && (
        <p className="text-[22px] font-bold">{show(state.depth_cm, "soilDepth", units)}</p>
      )}
      <h2 className="text-[20px] font-bold">{step.title}</h2>
      <p className="mt-1 text-ink-2">{sayCode(step.why)}</p>
      {step.caution && (
        <p className="mt-3 border-l-4 border-ink pl-3">
          <b>{say`Caution.`}</b> {step.caution}
        </p>
      )}
      {step.timer_min !== null && <StepTimer id={`${run.key} ${state.id}`} minutes={step.timer_min} />}
      {(step.entry === "number" || step.entry === "text") && (
        <div className="mt-4 [&_input]:my-2 [&_input]:py-2.5 [&_input]:text-[22px]">
          <Field
            label={step.entry === "number" ? say`Value${unitWord(step.unit, units)}` : say`Written there`}
            hint={limits(step, units)}
            inputMode={step.entry === "number" ? "decimal" : "text"}
            autoFocus
            value={value}
            error={trouble || (state.outcome === "failed" ? state.words : undefined)}
            onChange={(e) => setValue(e.target.value)}
          />
        </div>
      )}
      {step.entry === "tick" && state.words && <p className="mt-3 text-[18px] font-bold">{state.words}.</p>}
      {step.entry === "choice" && (
        <fieldset className="mt-4 grid gap-2">
          <legend className="sr-only">{step.title}</legend>
          {step.options.map((option) => (
            <label
              key={option}
              className={`flex min-h-11 items-center gap-3 rounded-sheet border px-3 py-2 focus-within:outline-2 focus-within:outline-deep [&_input]:outline-none ${value === option ? "border-2 border-ink font-bold" : "border-rule"}`}
            >
              <input
                type="radio"
                name={state.id}
                checked={value === option}
                onChange={() => setValue(option)}
              />
              {sayCode(option)}
            </label>
          ))}
        </fieldset>
      )}
      {step.entry === "place" && <PlaceEntry store={(at) => void store(at)} />}
      {(step.entry === "photo" || photo) && <PhotoLine photo={photo} />}
      {trouble && step.entry !== "number" && step.entry !== "text" && (
        <p role="alert" className="mt-2 font-bold text-clay">
          {trouble}
        </p>
      )}
      <div className="mt-4 flex flex-wrap items-center gap-3">
        {step.entry !== "place" && (
          <Button kind="ink" type="submit" disabled={write.isPending} className="min-h-11 grow sm:grow-0">
            {step.entry === "tick" ? say`Done` : say`Save`}
          </Button>
        )}
        <label className="flex min-h-11 cursor-pointer items-center underline focus-within:outline-2 focus-within:outline-deep">
          {photo ? say`add a photo` : say`photo`}
          <input
            type="file"
            accept="image/*"
            capture="environment"
            className="sr-only"
            onChange={(e) => void take(e.target.files?.[0])}
          />
        </label>
        {!step.required && state.outcome === "open" && (
          <button type="button" className="underline" onClick={next}>{say`Skip`}</button>
        )}
        {state.outcome !== "open" && (
          <button
            type="button"
            className="underline"
            onClick={() => write.mutate({ id: state.id, entry: null })}
          >{say`take it back`}</button>
        )}
      </div>
      <Field className="mt-4" label={say`Note`} value={note} onChange={(e) => setNote(e.target.value)} />
      <p className="secondary mt-3">{step.source}</p>
    </form>
  );
}

const unitWord = (unit: string, units: UnitSystem) => {
  const name = quantityOf(unit);
  if (name) return `, ${quantity(name, units).unit}`;
  return unit && unit !== "raw" ? `, ${unit}` : "";
};

function limits(step: Schemas["StepOut"], units: UnitSystem): string | undefined {
  const name = quantityOf(step.unit);
  const figure = (value: number) => (name ? show(value, name, units) : `${value} ${step.unit}`.trim());
  if (step.low !== null && step.high !== null)
    return say`wanted: ${figure(step.low)} to ${figure(step.high)}`;
  if (step.low !== null) return say`wanted: ${figure(step.low)} or more`;
  if (step.high !== null) return say`wanted: ${figure(step.high)} or less`;
  return undefined;
}

function PhotoLine({ photo }: { photo: string }) {
  if (!photo) return <p className="mt-3">{say`No photo yet.`}</p>;
  return (
    <img src={`/api/photos/${photo}`} alt={say`Taken at this step`} className="mt-3 max-h-56 rounded-sheet" />
  );
}
