import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { momentOf, newKey, useDelete, useWho } from "../../app/records";
import { dated } from "../../lib/dates";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { RefusalNote } from "../../ui/entries";
import { Choice, Field } from "../../ui/Field";
import { useUniformity } from "./queries";
import { type TabProps, useSaving } from "./saving";

/** How evenly the system waters: catches in, DU and CU out, and the efficiency that follows. */
export function UniformityTab({ document, setup }: TabProps) {
  const farm = useFarm();
  const units = useUnits();
  const [who] = useWho();
  const system = document.systems[0];
  const [kind, setKind] = useState<"cans" | "emitters">("cans");
  const [text, setText] = useState("");
  const [kept, setKept] = useState("100");
  const saving = useSaving(["values", "kept_fraction"]);
  const values = text
    .split(/[\s;]+/)
    .filter(Boolean)
    .map((t) => Number(t.replace(",", ".")));
  const wrong = values.some((v) => !Number.isFinite(v));
  const keptFraction = Number(kept.replace(",", ".")) / 100;
  const facts = useUniformity({
    values: wrong ? [] : values,
    kept_fraction: keptFraction > 0 ? keptFraction : 1,
  });
  if (!system) return <p>{say`Give the block an irrigation system first.`}</p>;
  const store = (setEfficiency: boolean) =>
    saving.save({
      uniformity_tests: [
        {
          key: newKey("du", farm),
          system: system.key,
          kind,
          values,
          kept_fraction: keptFraction,
          on: momentOf(farm).slice(0, 10),
          who,
        },
      ],
      systems:
        setEfficiency && facts.data
          ? [{ ...system, efficiency_fraction: Number(facts.data.efficiency_fraction.toFixed(3)) }]
          : [],
    });
  const unit = units === "us" ? say`in any one unit` : kind === "cans" ? "mm" : "L/h";
  return (
    <div className="grid max-w-5xl gap-8 lg:grid-cols-2">
      <div className="grid gap-3">
        <p>{say`Cans on a grid for one set on a still morning, or the flow of emitters from all over the block.`}</p>
        <Choice
          label={say`Measured with`}
          value={kind}
          change={(k) => setKind(k as "cans" | "emitters")}
          options={[
            { value: "cans", label: "catch cans" },
            { value: "emitters", label: "emitter flows" },
          ]}
        />
        <label>
          <span className="block text-[13px] font-bold">{say`Catches, ${unit}, with spaces or lines between`}</span>
          <textarea
            className="figure mt-1 h-28 w-full rounded-sheet border border-rule bg-panel p-2"
            value={text}
            aria-invalid={wrong || Boolean(saving.refused.values)}
            onChange={(e) => setText(e.target.value)}
          />
        </label>
        {wrong && (
          <p className="font-bold text-clay">{say`“${text.split(/[\s;]+/).find((t) => t && !Number.isFinite(Number(t.replace(",", "."))))}” is no number`}</p>
        )}
        <Field
          label={say`Reaches the ground at all, %`}
          hint={say`less drift, evaporation and leaks`}
          inputMode="decimal"
          value={kept}
          error={saving.refused.kept_fraction}
          onChange={(e) => setKept(e.target.value)}
        />
      </div>
      <div>
        <PastTests tests={setup.uniformity} />
        {facts.isError && values.length > 0 && <p className="font-bold text-clay">{facts.error.message}</p>}
        {facts.data && !facts.isError && values.length > 0 && (
          <Result facts={facts.data} before={system.efficiency_fraction}>
            <div className="mt-4 flex flex-wrap gap-3">
              <Button
                kind="ink"
                disabled={saving.pending}
                onClick={() => void store(true)}
              >{say`Save and set the efficiency`}</Button>
              <Button
                disabled={saving.pending}
                onClick={() => void store(false)}
              >{say`Save the test only`}</Button>
            </div>
            {saving.stored && <p role="status">{say`Saved.`}</p>}
            <RefusalNote refused={saving.refused} />
          </Result>
        )}
      </div>
    </div>
  );
}

function PastTests({ tests }: { tests: Schemas["PastUniformity"][] }) {
  const remove = useDelete();
  if (tests.length === 0) return null;
  return (
    <section aria-label={say`Tests so far`} className="mb-5">
      <h2 className="text-[17px] font-bold">{say`Tests so far`}</h2>
      <ul>
        {tests.map((t) => (
          <li key={t.key} className="flex flex-wrap justify-between gap-x-4 border-t border-rule py-1">
            <span>
              {dated(t.on)} {t.who}
              <span className="secondary">
                {" "}
                {t.count} {sayCode(t.kind)}
              </span>
            </span>
            <span className="figure">{say`DU ${tenths(t.du_low_quarter)} · CU ${tenths(t.christiansen_cu)}`}</span>
            <button
              type="button"
              className="underline"
              onClick={() =>
                void remove({ kind: "uniformity_tests", key: t.key, name: say`the test of ${dated(t.on)}` })
              }
            >{say`delete`}</button>
          </li>
        ))}
      </ul>
    </section>
  );
}

const tenths = (fraction: number) => `${(fraction * 100).toFixed(1)} %`;

function Result(props: { facts: Schemas["UniformityFacts"]; before: number; children: React.ReactNode }) {
  const { facts } = props;
  return (
    <section className="sheet p-4" aria-label={say`Evenness`}>
      <dl className="grid grid-cols-[1fr_auto] gap-y-1">
        <dt>{say`catches`}</dt>
        <dd className="figure text-right">{facts.count}</dd>
        <dt>{say`mean`}</dt>
        <dd className="figure text-right">{facts.mean.toFixed(2)}</dd>
        <dt>{say`mean of the low quarter`}</dt>
        <dd className="figure text-right">{facts.low_quarter_mean.toFixed(2)}</dd>
        <dt className="font-bold">{say`Uniformity of the low quarter, DU`}</dt>
        <dd className="figure text-right font-bold">{tenths(facts.du_low_quarter)}</dd>
        <dt className="font-bold">{say`Christiansen's coefficient, CU`}</dt>
        <dd className="figure text-right font-bold">{tenths(facts.christiansen_cu)}</dd>
        <dt className="border-t border-ink pt-1">{say`Efficiency that follows`}</dt>
        <dd className="figure border-t border-ink pt-1 text-right">
          {tenths(facts.efficiency_fraction)}{" "}
          <span className="secondary">{say`now ${tenths(props.before)}`}</span>
        </dd>
      </dl>
      <p className="secondary mt-2">{say`DU = low-quarter mean ÷ mean (USDA-NRCS NEH 652); CU = 1 − mean deviation ÷ mean (Christiansen 1942). The efficiency is DU × what reaches the ground: the driest quarter gets the net depth.`}</p>
      {props.children}
    </section>
  );
}
