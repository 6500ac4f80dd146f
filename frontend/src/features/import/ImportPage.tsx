import { useState } from "react";
import { Link } from "react-router";
import { useFarm } from "../../app/farm";
import { useMay } from "../../app/session";
import { clock, dated, wall } from "../../lib/dates";
import { say, sayCode } from "../../lib/words";
import { MapFile } from "./MapFile";
import { type ImportFile, takeAs, usePastImports, useUndoImport, useUpload } from "./queries";
import { TrySample } from "./TrySample";

export function ImportPage() {
  const farm = useFarm();
  const may = useMay();
  const upload = useUpload();
  const past = usePastImports();
  const [file, setFile] = useState<ImportFile>();
  const [source, setSource] = useState<File>();
  if (farm.sensors === 0) {
    return (
      <div className="max-w-2xl py-4">
        <h1>{say`Nothing to bring readings to yet`}</h1>
        <p className="mt-2">{say`A column of a logger file belongs to a sensor at a depth. Describe a block with its station and sensors first.`}</p>
        <Link
          to="/setup"
          className="mt-3 inline-block rounded-sheet bg-clay px-4 py-1.5 font-bold text-panel"
        >{say`Set up a block`}</Link>
      </div>
    );
  }
  const choose = async (chosen: File | undefined, sheet = "") => {
    if (!chosen) return;
    setFile(undefined);
    setSource(chosen);
    try {
      setFile(await upload.mutateAsync({ file: chosen, sheet }));
    } catch {
      // shown below from upload.error
    }
  };
  return (
    <div className="py-1">
      <h1>{say`Import a logger file`}</h1>
      {file && (file.sheets ?? []).length > 1 && (
        <p className="mt-1">
          {say`A spreadsheet with ${file.sheets?.length} sheets. Read another:`}{" "}
          {file.sheets?.map((sheet) => (
            <button
              key={sheet}
              type="button"
              className="mr-3 underline"
              onClick={() => void choose(source, sheet)}
            >
              {sheet}
            </button>
          ))}
        </p>
      )}
      {file ? (
        <MapFile
          key={`${file.token} ${file.rows_hold}`}
          file={file}
          again={() => setFile(undefined)}
          take={async (rowsHold) => setFile(await takeAs(file.token, rowsHold))}
        />
      ) : (
        <>
          {may("files") ? (
            <ChooseFile choose={(chosen) => void choose(chosen)} busy={upload.isPending} />
          ) : (
            <p className="mt-2">{say`Reading files in asks for the role agronomist or above.`}</p>
          )}
          {upload.isError && (
            <p role="alert" className="mt-3 font-bold text-clay">
              {upload.error.message}
            </p>
          )}
          {may("files") && past.data?.imports.length === 0 && (
            <TrySample choose={(made) => void choose(made)} />
          )}
          <PastImports />
        </>
      )}
    </div>
  );
}

function ChooseFile({ choose, busy }: { choose: (file: File | undefined) => void; busy: boolean }) {
  const [over, setOver] = useState(false);
  return (
    <label
      className={`mt-3 block max-w-3xl cursor-pointer rounded-sheet border border-dashed p-6 ${over ? "border-ink bg-band" : "border-ink-2 bg-panel"}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        choose(e.dataTransfer.files[0]);
      }}
    >
      <span className="text-[17px] font-bold underline decoration-dotted underline-offset-4">
        {busy ? say`Reading the file …` : say`Choose a file or drop it here`}
      </span>
      <span className="secondary mt-1 block">{say`Columns separated by comma, semicolon or tab, or a spreadsheet; one time column; one column a sensor. Nothing is stored until you have seen how it is read.`}</span>
      <input
        type="file"
        className="sr-only"
        accept=".csv,.txt,.tsv,.dat,.xlsx,text/*"
        onChange={(e) => choose(e.target.files?.[0])}
      />
    </label>
  );
}

/** Takes an import out again, after asking once more. */
function UndoImport({ id, count }: { id: number; count: number }) {
  const [asking, setAsking] = useState(false);
  const undo = useUndoImport();
  if (!asking) {
    return (
      <button type="button" className="ml-3 underline" onClick={() => setAsking(true)}>{say`undo`}</button>
    );
  }
  return (
    <span className="ml-3 inline-flex flex-wrap gap-3">
      <button
        type="button"
        className="font-bold text-clay underline"
        disabled={undo.isPending}
        onClick={() => undo.mutate(id)}
      >{say`take ${count.toLocaleString("en")} readings out`}</button>
      <button type="button" className="underline" onClick={() => setAsking(false)}>{say`Cancel`}</button>
      {undo.isError && <span role="alert">{undo.error.message}</span>}
    </span>
  );
}

function PastImports() {
  const may = useMay();
  const past = usePastImports();
  if (!past.data?.imports.length) return null;
  return (
    <section aria-label={say`Imports so far`} className="mt-6 max-w-5xl relative overflow-x-auto">
      <h2 className="secondary font-bold">{say`Imports so far`}</h2>
      <table className="mt-1 w-full border-t border-rule text-left">
        <thead className="secondary">
          <tr>
            <th className="py-1 font-normal">{say`file`}</th>
            <th className="font-normal">{say`read on`}</th>
            <th className="text-right font-normal">{say`rows`}</th>
            <th className="text-right font-normal">{say`new readings`}</th>
            <th className="text-right font-normal">{say`already there`}</th>
            <th className="text-right font-normal">{say`refused`}</th>
            <th className="pl-6 font-normal">{say`outcome`}</th>
          </tr>
        </thead>
        <tbody>
          {past.data.imports.map((row) => (
            <tr key={row.id} className="border-t border-rule">
              <td className="py-1 font-bold">{row.file_name}</td>
              <td className="figure">
                {dated(row.started_at)}, {clock(wall(row.started_at))}
              </td>
              <td className="figure text-right">{row.rows_read.toLocaleString("en")}</td>
              <td className="figure text-right">{row.readings_new.toLocaleString("en")}</td>
              <td className="figure text-right">{row.readings_known.toLocaleString("en")}</td>
              <td className="figure text-right">{row.refused.toLocaleString("en")}</td>
              <td className="pl-6">
                {sayCode(row.status)}
                {row.message && <span className="secondary"> · {sayCode(row.message)}</span>}
                {row.can_be_undone && may("files") && <UndoImport id={row.id} count={row.readings_new} />}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
