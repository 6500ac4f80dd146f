import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { useDelete } from "../../app/records";
import { quantity, quantityOf, toInput, toServer, type UnitSystem } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { NewStationDialog } from "./NewStationDialog";
import type { Spot } from "./queries";
import { useApply } from "./queries";

type Rule = Schemas["RuleOut"];
type Facts = Record<string, number | boolean>;

interface SpotProps {
  block: string;
  spot: Spot;
  rules: Rule[];
}

/** What was seen at a spot, and what each rule says of it. */
export function SpotSheet({ block, spot, rules }: SpotProps) {
  const units = useUnits();
  const apply = useApply();
  const remove = useDelete();
  const [making, setMaking] = useState(false);
  const [chosen, setChosen] = useState(spot.chosen);
  const [typed, setTyped] = useState({
    name: spot.name,
    row: spot.row,
    inlet: spot.inlet_m?.toString() ?? "",
  });
  const put = (part: Partial<Schemas["SpotPart"]>, facts: Facts = spot.facts as Facts) => {
    const own = { ...facts };
    if (spot.edge_from_outline_m !== null && own.edge_m === spot.edge_from_outline_m) delete own.edge_m;
    const { word: _w, share: _s, judged: _j, edge_from_outline_m: _e, ...stored } = spot;
    apply.mutate({ spots: [{ ...stored, block, facts: own, ...part } as Schemas["SpotPart"]] });
  };
  const answer = (rule: Rule, value: number | boolean | undefined) => {
    const facts: Facts = { ...(spot.facts as Facts) };
    if (value === undefined) delete facts[rule.fact];
    else facts[rule.fact] = value;
    put({}, facts);
  };
  const inlet = typed.inlet.trim() === "" ? null : Number(typed.inlet.replace(",", "."));
  return (
    <section className="sheet p-4" aria-label={say`Spot ${spot.name}`}>
      <div className="flex flex-wrap items-baseline justify-between gap-3">
        <h2 className="text-[20px] font-bold">
          {spot.name}: {sayCode(spot.word)}
        </h2>
        <button
          type="button"
          className="underline"
          onClick={() => void remove({ kind: "spots", key: spot.key, name: spot.name })}
        >{say`delete`}</button>
      </div>
      <div className="mt-2 grid grid-cols-3 gap-3">
        <Field
          label={say`Name`}
          value={typed.name}
          onChange={(e) => setTyped({ ...typed, name: e.target.value })}
          onBlur={() => typed.name !== spot.name && put({ name: typed.name })}
        />
        <Field
          label={say`Row`}
          value={typed.row}
          onChange={(e) => setTyped({ ...typed, row: e.target.value })}
          onBlur={() => typed.row !== spot.row && put({ row: typed.row })}
        />
        <Field
          label={say`From the inlet, m`}
          inputMode="decimal"
          value={typed.inlet}
          onChange={(e) => setTyped({ ...typed, inlet: e.target.value })}
          onBlur={() => inlet !== spot.inlet_m && put({ inlet_m: inlet })}
        />
      </div>
      <ul className="mt-3">
        {rules.map((rule) => (
          <RuleLine
            key={rule.rule}
            rule={rule}
            spot={spot}
            units={units}
            answer={(value) => answer(rule, value)}
          />
        ))}
      </ul>
      {apply.isError && (
        <p
          role="alert"
          className="mt-2 font-bold text-clay"
        >{say`Nothing was saved: ${apply.error.message}`}</p>
      )}
      <div className="mt-4 flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={chosen}
            onChange={(e) => {
              setChosen(e.target.checked);
              put({ chosen: e.target.checked });
            }}
          />
          <b>{say`chosen`}</b>
        </label>
        {spot.chosen && !spot.station && (
          <Button kind="ink" onClick={() => setMaking(true)}>{say`Plan a station here`}</Button>
        )}
        {spot.station && <span>{say`station “${spot.station}” stands here`}</span>}
      </div>
      <NewStationDialog
        open={making}
        close={() => setMaking(false)}
        block={block}
        name={spot.name}
        made={(station) => put({ station })}
        {...(spot.longitude !== null && spot.latitude !== null
          ? { place: { longitude: spot.longitude, latitude: spot.latitude } }
          : {})}
      />
    </section>
  );
}

interface LineProps {
  rule: Rule;
  spot: Spot;
  units: UnitSystem;
  answer: (value: number | boolean | undefined) => void;
}

const SIGNS: Record<string, string> = { yes: "●", no: "✕", "not known": "○" };

function RuleLine({ rule, spot, units, answer }: LineProps) {
  const judged = spot.judged.find((j) => j.rule === rule.rule);
  const value = spot.facts[rule.fact];
  return (
    <li className="grid grid-cols-[1.2rem_1fr_auto] items-baseline gap-x-2 border-t border-rule py-1.5">
      <span aria-hidden="true">{SIGNS[judged?.outcome ?? say`not known`]}</span>
      <span>
        <span className={judged?.outcome === "no" ? "font-bold" : ""}>{rule.question}</span>
        <span className="secondary block">
          {rule.kind === "is" ? "" : say`wanted: ${rule.wanted}; `}
          {rule.reason}
          {rule.must && judged?.outcome === "no" ? say`; this refuses the spot` : ""}
        </span>
      </span>
      {rule.kind === "is" ? (
        <YesNo label={rule.question} value={value as boolean | undefined} answer={answer} />
      ) : (
        <NumberAnswer rule={rule} value={value as number | undefined} units={units} answer={answer} />
      )}
    </li>
  );
}

function YesNo(props: {
  label: string;
  value: boolean | undefined;
  answer: (v: boolean | undefined) => void;
}) {
  return (
    <fieldset className="flex gap-1" aria-label={props.label}>
      {[true, false].map((option) => (
        <button
          key={String(option)}
          type="button"
          aria-pressed={props.value === option}
          className={`rounded-sheet border border-ink px-3 py-1 max-sm:min-h-11 ${props.value === option ? "bg-ink text-panel" : ""}`}
          onClick={() => props.answer(props.value === option ? undefined : option)}
        >
          {option ? say`yes` : say`no`}
        </button>
      ))}
    </fieldset>
  );
}

function NumberAnswer(props: {
  rule: Rule;
  value: number | undefined;
  units: UnitSystem;
  answer: (v: number | undefined) => void;
}) {
  const name = quantityOf(props.rule.unit);
  const text =
    props.value === undefined ? "" : name ? toInput(props.value, name, props.units) : String(props.value);
  const [typed, setTyped] = useState(text);
  const send = () => {
    if (typed === text) return;
    const number = Number(typed.replace(",", "."));
    if (typed.trim() === "") props.answer(undefined);
    else if (Number.isFinite(number)) props.answer(name ? toServer(number, name, props.units) : number);
  };
  return (
    <span className="flex items-baseline gap-1">
      <input
        aria-label={props.rule.question}
        inputMode="decimal"
        className="figure w-20 rounded-sheet border border-rule bg-panel px-2 py-1"
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={send}
      />
      {name ? quantity(name, props.units).unit : props.rule.unit}
    </span>
  );
}
