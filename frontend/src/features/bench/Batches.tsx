import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useFarm } from "../../app/farm";
import { errorsOf, momentOf, useDelete, useWho } from "../../app/records";
import { SpanLines } from "../../charts/SpanLines";
import { dated } from "../../lib/dates";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { RefusalNote, type Refusals } from "../../ui/entries";
import { Field } from "../../ui/Field";
import { type Bench, useApply } from "./queries";

/** Batches side by side: the widest span with the least scatter wins. */
export function Batches({ bench }: { bench: Bench }) {
  return (
    <div>
      <div className="grid gap-5 lg:grid-cols-2">
        {bench.batches.map((b) => (
          <BatchSheet key={b.key} batch={b} best={bench.best_batch === b.key && bench.batches.length > 1} />
        ))}
      </div>
      <NewBatch bench={bench} />
    </div>
  );
}

function BatchSheet({ batch, best }: { batch: Schemas["BatchOut"]; best: boolean }) {
  const remove = useDelete();
  return (
    <section className="sheet p-4" aria-label={say`Batch ${batch.key}`}>
      <div className="flex items-baseline justify-between gap-3">
        <h2 className="text-[17px] font-bold">
          {batch.key}: {batch.accepted ? say`kept` : say`rejected`}
          {best && say`, the best`}
        </h2>
        <button
          type="button"
          className="underline"
          onClick={() => void remove({ kind: "batch_tests", key: batch.key, name: batch.key })}
        >{say`delete`}</button>
      </div>
      <p>{say`${batch.words}. Median span ${batch.median_span.toFixed(0)}, scatter ${batch.pooled_sd.toFixed(1)}${batch.span_over_scatter !== null && say`: ${batch.span_over_scatter.toFixed(0)} to 1`}. Sensors differ in water by ${(batch.between_cv * 100).toFixed(1)} %.`}</p>
      <SpanLines sensors={batch.sensors} />
      <ul>
        {batch.sensors
          .filter((s) => !s.accepted)
          .map((s) => (
            <li key={s.sensor}>
              <b>✕ {s.sensor}</b>: {s.reasons.join("; ")}
            </li>
          ))}
      </ul>
      <p className="secondary mt-2">
        {dated(batch.on)} {batch.who} {batch.note}
        <br />
        {say`Limits: scatter ${(batch.sd_share * 100).toFixed(0)} % of span, span ${(batch.span_share * 100).toFixed(0)} % of the median, ${(batch.pass_share * 100).toFixed(0)} % of the sensors; common practice, no source.`}
      </p>
    </section>
  );
}

/** Lines of "name: air air air / water water water / after days". */
export function parseBatch(text: string): Schemas["TestedSensorPart"][] {
  return text
    .split(/\r?\n/)
    .filter((line) => line.trim() !== "")
    .map((line, i) => {
      const [name = "", rest = ""] = line.includes(":") ? line.split(/:(.*)/s) : [say`line ${i + 1}`, line];
      const [air = [], water = [], after = []] = rest.split("/").map((part) =>
        part
          .split(/[\s;]+/)
          .filter(Boolean)
          .map((t) => Number(t.replace(",", "."))),
      );
      return { sensor: name.trim(), air, water, after_days: after[0] ?? null };
    });
}

function NewBatch({ bench }: { bench: Bench }) {
  const farm = useFarm();
  const apply = useApply();
  const [who] = useWho();
  const [name, setName] = useState("");
  const [text, setText] = useState("");
  const [refused, setRefused] = useState<Refusals>({});
  const names = bench.devices.filter((d) => d.batch === name.trim() && name.trim() !== "").map((d) => d.key);
  const store = async () => {
    try {
      await apply.mutateAsync({
        batch_tests: [{ key: name.trim(), on: momentOf(farm).slice(0, 10), who, sensors: parseBatch(text) }],
      });
      setRefused({});
      setText("");
      setName("");
    } catch (error) {
      const errors = errorsOf(error);
      setRefused({
        "": errors.map((e) => `${e.path.replace(/^batch_tests\[0\]\./, "")}: ${e.reason}`).join("; "),
      });
    }
  };
  return (
    <form
      className="mt-6 grid max-w-3xl gap-3"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void store();
      }}
    >
      <h2 className="text-[17px] font-bold">{say`Test a batch`}</h2>
      <p>{say`Read each sensor at least three times in air and three times in water, taking it out and drying it between. After two days in water, power off, read it once more.`}</p>
      <Field label={say`Batch`} value={name} onChange={(e) => setName(e.target.value)} className="w-64" />
      {names.length > 0 && text === "" && (
        <p>
          <button
            type="button"
            className="underline"
            onClick={() => setText(names.map((n) => `${n}:  / `).join("\n"))}
          >{say`set up a line for each of its ${names.length} sensors`}</button>
        </p>
      )}
      <label>
        <span className="block text-[13px] font-bold">{say`One sensor a line: name: readings in air / readings in water / reading after days in water`}</span>
        <textarea
          className="figure mt-1 h-36 w-full rounded-sheet border border-rule bg-panel p-2"
          placeholder={"b1: 820 822 819 / 381 380 383 / 382\nb2: 815 818 816 / 377 379 378"}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <RefusalNote refused={refused} />
      <p>
        <Button kind="ink" type="submit" disabled={apply.isPending}>{say`Test the batch`}</Button>
      </p>
    </form>
  );
}
