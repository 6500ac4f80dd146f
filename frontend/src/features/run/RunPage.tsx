import { useState } from "react";
import { Link, useParams } from "react-router";
import { useWho } from "../../app/records";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { type Run, useCloseRun, useRun } from "./queries";
import { StepCard } from "./StepCard";
import { StepList } from "./StepList";

/** A guided procedure: one step at a time, to be left and taken up again. */
export function RunPage() {
  const { key = "" } = useParams();
  const run = useRun(key);
  const [shown, setShown] = useState<string>();
  const [who, setWho] = useWho();
  if (run.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (run.isError) return <p className="py-6">{run.error.message}</p>;
  const { data } = run;
  const current = data.steps.find((s) => s.id === (shown ?? data.next_id)) ?? null;
  const doneCount = data.steps.filter((s) => s.outcome !== "open").length;
  return (
    <div className="mx-auto max-w-5xl py-1">
      <p className="secondary">
        <BackLink run={data} />
      </p>
      <h1>{data.title}</h1>
      <p className="secondary">{data.about}</p>
      <div className="mt-2 flex flex-wrap items-end gap-x-6 gap-y-2">
        <p className="font-bold" role="status">
          {data.closed ? say`Closed.` : say`${doneCount} of ${data.steps.length} steps`}
          {data.verdict !== "open" &&
            ` ${data.verdict === "ready" ? say`All values within their limits.` : say`Not ready.`}`}
        </p>
        {!data.closed && (
          <Field label={say`Who`} value={who} onChange={(e) => setWho(e.target.value)} className="w-44" />
        )}
      </div>
      <div className="mt-4 grid gap-6 lg:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <div>
          {current && !data.closed ? (
            <StepCard key={current.id} run={data} step={current} who={who} next={() => setShown(undefined)} />
          ) : (
            <CloseCard run={data} />
          )}
        </div>
        <StepList run={data} chosen={current?.id} choose={setShown} />
      </div>
    </div>
  );
}

function BackLink({ run }: { run: Run }) {
  const back = run.subject.includes("/") ? `/stations/${run.subject}` : "/bench?tab=work";
  return (
    <Link className="underline" to={back}>
      {run.subject_name}
    </Link>
  );
}

function CloseCard({ run }: { run: Run }) {
  const close = useCloseRun(run.key);
  const [at, setAt] = useState("");
  if (run.closed) {
    return (
      <section className="sheet p-5">
        <h2 className="text-[17px] font-bold">
          {run.verdict === "ready" ? say`Done` : say`Done, not ready`}
        </h2>
        <Findings title={say`Outside its limits`} lines={run.failures} />
        <Findings title={say`To know`} lines={run.notices} />
        <p className="mt-3">
          <BackLink run={run} />
        </p>
      </section>
    );
  }
  return (
    <section className="sheet p-5" aria-label={say`Close`}>
      <h2 className="text-[17px] font-bold">
        {run.gaps.length ? say`It cannot be closed yet` : say`All entered`}
      </h2>
      <Findings title={say`Missing`} lines={run.gaps} />
      <Findings title={say`Outside its limits`} lines={run.failures} />
      <Findings title={say`To know`} lines={run.notices} />
      {run.gaps.length === 0 && (
        <div className="mt-4 flex flex-wrap items-end gap-4">
          <Field
            label={say`Finished, if not just now`}
            type="datetime-local"
            value={at}
            onChange={(e) => setAt(e.target.value)}
          />
          {run.failures.length === 0 ? (
            <Button
              kind="act"
              disabled={close.isPending}
              onClick={() => close.mutate({ evenFailed: false, at })}
            >{say`Close it`}</Button>
          ) : (
            <Button
              disabled={close.isPending}
              onClick={() => close.mutate({ evenFailed: true, at })}
            >{say`Close as not ready`}</Button>
          )}
        </div>
      )}
      {close.isError && (
        <p role="alert" className="mt-2 font-bold text-clay">
          {close.error.message}
        </p>
      )}
    </section>
  );
}

function Findings({ title, lines }: { title: string; lines: string[] }) {
  if (lines.length === 0) return null;
  return (
    <>
      <h3 className="mt-3 font-bold">{title}</h3>
      <ul className="list-disc pl-5">
        {lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
    </>
  );
}
