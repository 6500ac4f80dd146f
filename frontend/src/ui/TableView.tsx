import { useState } from "react";
import { say } from "../lib/words";
import { Button } from "./Button";
import { Sheet } from "./Sheet";

export interface TableData {
  title: string;
  columns: string[];
  rows: (string | number | null)[][];
}

const SHOWN = 400;

/** A drawing's figures as a table, and as a CSV file: for whoever reads it with other eyes or another program. */
export function TableView({ table, label = say`as a table` }: { table: () => TableData; label?: string }) {
  const [shown, setShown] = useState<TableData>();
  return (
    <>
      <button type="button" className="underline" onClick={() => setShown(table())}>
        {label}
      </button>
      {shown && (
        <Sheet title={shown.title} close={() => setShown(undefined)} width="max-w-4xl">
          <div className="mt-3 overflow-auto">
            <table className="figure w-full text-[13px]">
              <thead>
                <tr className="border-b border-ink text-left">
                  {shown.columns.map((name) => (
                    <th key={name} scope="col" className="pr-3 font-bold">
                      {name}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {shown.rows.slice(-SHOWN).map((row) => (
                  <tr key={String(row[0]) + String(row[1])} className="border-b border-rule">
                    {row.map((cell, i) => (
                      <td key={shown.columns[i]} className="pr-3">
                        {cell ?? "–"}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {shown.rows.length > SHOWN && (
            <p className="secondary mt-2">{say`The last ${SHOWN} of ${shown.rows.length} rows; the file has all.`}</p>
          )}
          <div className="mt-3 flex gap-3">
            <Button kind="ink" onClick={() => saveCsv(shown)}>{say`Save as CSV`}</Button>
            <Button onClick={() => setShown(undefined)}>{say`Close`}</Button>
          </div>
        </Sheet>
      )}
    </>
  );
}

/** CSV text of a table: a field with a comma, quote or line break in quotes. */
export function csvText({ columns, rows }: TableData): string {
  const cell = (value: string | number | null) => {
    const text = value === null ? "" : String(value);
    return /[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return `${[columns, ...rows].map((row) => row.map(cell).join(",")).join("\r\n")}\r\n`;
}

function saveCsv(table: TableData) {
  const address = URL.createObjectURL(new Blob([csvText(table)], { type: "text/csv" }));
  const link = document.createElement("a");
  link.href = address;
  link.download = `${table.title.toLowerCase().replace(/[^a-z0-9]+/g, "-")}.csv`;
  link.click();
  URL.revokeObjectURL(address);
}
