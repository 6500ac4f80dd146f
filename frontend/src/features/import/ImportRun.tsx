import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { dated } from "../../lib/dates";
import { show } from "../../lib/units";
import { say, sayCount } from "../../lib/words";
import { Field } from "../../ui/Field";
import { Refusals } from "./PreviewTable";
import { type ImportFile, type Plan, useProgress, useRunImport } from "./queries";

/** The import itself: start, progress, and what came of it. */
export function ImportRun({ file, plan, ready }: { file: ImportFile; plan: Plan; ready: boolean }) {
  const run = useRunImport(file.token);
  const progress = useProgress(run.data);
  const [name, setName] = useState(
    file.matched.startsWith("the saved mapping") ? "" : file.name.replace(/\.[^.]*$/, ""),
  );
  const job = progress.data ?? run.data;
  const start = (skip: boolean) => run.mutate({ plan, skip_refused: skip, save_as: name.trim() });
  const busy = run.isPending || (job !== undefined && !job.finished);
  const done = job?.report?.status === "done";
  return (
    <div className="mt-5 border-t border-ink pt-3">
      {!done && (
        <div className="flex flex-wrap items-end gap-4">
          <Field
            label={say`Remember this mapping as`}
            value={name}
            onChange={(e) => setName(e.target.value)}
            className="w-64"
            placeholder={say`not remembered`}
          />
          <button
            type="button"
            className="rounded-sheet bg-ink px-5 py-1.5 font-bold text-panel disabled:opacity-40"
            disabled={!ready || busy}
            onClick={() => start(false)}
          >{say`Import the file`}</button>
        </div>
      )}
      {run.isError && (
        <p role="alert" className="mt-2 font-bold text-clay">
          {run.error.message}
        </p>
      )}
      {busy && job && <Progress job={job} />}
      {job?.finished && job.error && (
        <p role="alert" className="mt-2 font-bold text-clay">
          {job.error}
        </p>
      )}
      {job?.finished && job.report && <Report report={job.report} storeRest={() => start(true)} />}
    </div>
  );
}

function Progress({ job }: { job: Schemas["JobOut"] }) {
  const share = job.total_bytes ? Math.min(1, job.done_bytes / job.total_bytes) : 0;
  return (
    <div className="mt-3">
      <progress className="h-2 w-full accent-deep" max={1} value={share} aria-label={say`Import progress`} />
      <p className="secondary">{say`${Math.round(100 * share)} % of the file read`}</p>
    </div>
  );
}

const GROUPS: Record<string, string> = {
  act: say`act today`,
  coming: say`coming`,
  leave: say`leave`,
  none: say`no advice`,
};

/** What the new readings changed in the advice, before what was read. */
function Changes({ changed }: { changed: Schemas["BlockChange"][] }) {
  const units = useUnits();
  if (changed.length === 0)
    return <p className="text-[17px] font-bold">{say`The advice stays as it was.`}</p>;
  const depth = (mm: number | null) => (mm === null ? say`none` : show(mm, "depth", units));
  const moved = changed.filter((c) => c.group_before !== c.group_after).length;
  return (
    <>
      <p className="text-[17px] font-bold">
        {sayCount(changed.length, "The advice changed for {n} block", "The advice changed for {n} blocks")}
        {moved > 0 && say`, and ${moved} of them moved on the Round`}.
      </p>
      <table className="mt-2 text-left" aria-label={say`What changed`}>
        <thead className="secondary">
          <tr>
            <th className="pr-6 font-normal">{say`what changed`}</th>
            <th className="pr-6 font-normal">{say`on the Round`}</th>
            <th className="pr-6 font-normal">{say`depletion, wetted soil`}</th>
            <th className="font-normal">{say`advised, net`}</th>
          </tr>
        </thead>
        <tbody>
          {changed.map((c) => (
            <tr key={c.key} className="border-t border-rule">
              <td className="py-1 pr-6 font-bold">{c.name}</td>
              <td className="pr-6">
                {GROUPS[c.group_before]} → <b>{GROUPS[c.group_after]}</b>
              </td>
              <td className="figure pr-6">
                {depth(c.depletion_before_mm)} → <b>{depth(c.depletion_after_mm)}</b>
              </td>
              <td className="figure">
                {depth(c.net_before_mm)} → <b>{depth(c.net_after_mm)}</b>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Report({ report, storeRest }: { report: Schemas["ReportOut"]; storeRest: () => void }) {
  const count = (n: number) => n.toLocaleString("en");
  const done = report.status === "done";
  return (
    <div role="status" className="mt-3">
      {done && <Changes changed={report.changed} />}
      <p className={done ? "mt-3 font-bold" : "text-[17px] font-bold"}>
        {done
          ? say`${count(report.readings_new)} new readings stored.`
          : report.message || say`Nothing was saved.`}
      </p>
      <p className="secondary">{say`${count(report.rows_read)} rows read, ${count(report.readings_known)} readings already there, ${count(report.cells_empty)} empty cells, ${count(report.refused)} refused${
        done && report.first_at && report.last_at
          ? say`; ${dated(report.first_at)} to ${dated(report.last_at)}`
          : ""
      }.`}</p>
      {report.notes.map((note) => (
        <p key={note} className="secondary">
          {note}.
        </p>
      ))}
      {!done && report.refused > 0 && (
        <button
          type="button"
          className="mt-2 rounded-sheet border border-ink px-4 py-1.5 font-bold"
          onClick={storeRest}
        >{say`Import the rest without the refused`}</button>
      )}
      {done && (
        <Link
          to="/"
          className="mt-2 inline-block rounded-sheet border border-ink px-4 py-1.5 font-bold"
        >{say`See the Round`}</Link>
      )}
      {report.refusals.length > 0 && (
        <Refusals refusals={report.refusals} title={say`Refused (${count(report.refused)})`} />
      )}
    </div>
  );
}
