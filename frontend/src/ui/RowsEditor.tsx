import { say, sayCode } from "../lib/words";
import { Button } from "./Button";
import { Field } from "./Field";

export interface Column {
  name: string;
  label: string;
  type?: "text" | "time" | "date" | "datetime-local";
  number?: boolean;
  options?: string[];
  words?: Record<string, string>;
  width?: string;
}

export type Row = Record<string, string>;

interface RowsEditorProps {
  label: string;
  columns: Column[];
  rows: Row[];
  change: (rows: Row[]) => void;
  add: string;
  refused?: Record<string, string>;
  name?: string;
}

/** A short list that is typed row by row, with a row added or deleted. */
export function RowsEditor({ label, columns, rows, change, add, refused = {}, name = "" }: RowsEditorProps) {
  const set = (at: number, part: Row) => change(rows.map((row, n) => (n === at ? { ...row, ...part } : row)));
  return (
    <fieldset className="border-t border-rule pt-2">
      <legend className="pr-2 font-bold">{label}</legend>
      {rows.map((row, n) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: rows have no names of their own
        <div key={n} className="mb-1.5 flex flex-wrap items-end gap-2">
          {columns.map((c) => (
            <Cell
              key={c.name}
              column={c}
              value={row[c.name] ?? ""}
              error={refused[`${name}[${n}].${c.name}`]}
              change={(text) => set(n, { [c.name]: text })}
            />
          ))}
          <Button kind="quiet" onClick={() => change(rows.filter((_, m) => m !== n))}>{say`Delete`}</Button>
          {refused[`${name}[${n}]`] && (
            <p className="w-full text-[13px] font-bold text-clay">{refused[`${name}[${n}]`]}</p>
          )}
        </div>
      ))}
      <Button onClick={() => change([...rows, {}])}>{add}</Button>
      {refused[name] && <p className="text-[13px] font-bold text-clay">{refused[name]}</p>}
    </fieldset>
  );
}

interface CellProps {
  column: Column;
  value: string;
  error: string | undefined;
  change: (text: string) => void;
}

function Cell({ column, value, error, change }: CellProps) {
  const width = column.width ?? "w-28";
  if (column.options)
    return (
      <label className={width}>
        <span className="block text-[13px] font-bold">{column.label}</span>
        <select
          value={value}
          onChange={(e) => change(e.target.value)}
          className="w-full rounded-sheet border border-rule bg-panel px-2 py-1.5"
        >
          {column.options.map((o) => (
            <option key={o} value={o}>
              {sayCode(column.words?.[o] ?? o)}
            </option>
          ))}
        </select>
      </label>
    );
  return (
    <Field
      className={width}
      label={column.label}
      type={column.type ?? "text"}
      inputMode={column.number ? "decimal" : undefined}
      value={value}
      error={error}
      onChange={(e) => change(e.target.value)}
    />
  );
}

/** A row's values as they are sent: what is empty is left out, numbers as numbers, what is none as it was typed. */
export function valuesOfRow(row: Row, columns: Column[]): Record<string, unknown> {
  const found: Record<string, unknown> = {};
  for (const { name, number } of columns) {
    const text = (row[name] ?? "").trim();
    if (text === "") continue;
    const value = Number(text.replace(",", "."));
    found[name] = number && Number.isFinite(value) ? value : text;
  }
  return found;
}
