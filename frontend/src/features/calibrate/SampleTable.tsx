import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { quantity, show } from "../../lib/units";
import { say } from "../../lib/words";
import { badCells, emptyRow, type Typed } from "./draft";

type Row = Schemas["SampleWorked"];

interface Props {
  rows: Typed[];
  worked: (Row | undefined)[];
  sensors: string[];
  change: (rows: Typed[]) => void;
  hovered: number | null;
  hover: (row: number | null) => void;
}

const COLUMNS: { name: keyof Typed; title: string; width: string; number: boolean }[] = [
  { name: "label", title: say`tin`, width: "w-24", number: false },
  { name: "depth", title: say`depth`, width: "w-11", number: true },
  { name: "raw", title: say`reading(s)`, width: "w-24", number: true },
  { name: "tare", title: say`tin, g`, width: "w-16", number: true },
  { name: "wet", title: say`moist, g`, width: "w-16", number: true },
  { name: "dry", title: say`dry, g`, width: "w-16", number: true },
];
const REFERENCE: (typeof COLUMNS)[number] = {
  name: "reference",
  title: "reference, %",
  width: "w-16",
  number: true,
};
const FIELD: Record<string, keyof Typed> = {
  tare_g: "tare",
  wet_g: "wet",
  dry_g: "dry",
  ring_volume_cm3: "ring",
  stones_fraction: "stones",
  raw: "raw",
};

/** The sheet: a row a tin, worked out as it is typed. */
export function SampleTable({ rows, worked, sensors, change, hovered, hover }: Props) {
  const units = useUnits();
  const [beside, setBeside] = useState(rows.some((r) => r.reference !== ""));
  const columns = (beside ? [...COLUMNS, REFERENCE] : COLUMNS).map((c) =>
    c.name === "depth" ? { ...c, title: say`depth, ${quantity("soilDepth", units).unit}` } : c,
  );
  const set = (index: number, part: Partial<Typed>) =>
    change(rows.map((row, i) => (i === index ? { ...row, ...part } : row)));
  return (
    <div className="relative overflow-x-auto">
      <table className="w-full text-left text-[13.5px]">
        <thead>
          <tr>
            {[
              "",
              ...columns.map((c) => c.title),
              say`beside sensor`,
              say`water`,
              quantity("density", units).unit,
              "",
            ].map((title, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the columns never move
              <th key={i} scope="col" className="border-b border-ink pr-1.5 font-normal whitespace-nowrap">
                {title || <span className="sr-only">{i === 0 ? say`row` : say`to do`}</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, index) => (
            <SampleRow
              // biome-ignore lint/suspicious/noArrayIndexKey: a row is its place on the sheet
              key={index}
              index={index}
              row={row}
              worked={worked[index]}
              sensors={sensors}
              columns={columns}
              set={(part) => set(index, part)}
              remove={() => change(rows.filter((_, i) => i !== index))}
              hovered={hovered === index}
              hover={hover}
            />
          ))}
        </tbody>
      </table>
      <button
        type="button"
        className="mt-2 underline"
        onClick={() => change([...rows, emptyRow(rows[rows.length - 1])])}
      >{say`add a tin`}</button>
      <label className="ml-6">
        <input
          type="checkbox"
          className="mr-1"
          checked={beside}
          onChange={(e) => setBeside(e.target.checked)}
        />
        {say`a reference probe was read beside`}
      </label>
    </div>
  );
}

interface RowProps {
  index: number;
  row: Typed;
  worked: Row | undefined;
  sensors: string[];
  columns: typeof COLUMNS;
  set: (part: Partial<Typed>) => void;
  remove: () => void;
  hovered: boolean;
  hover: (row: number | null) => void;
}

function SampleRow({ index, row, worked, sensors, columns, set, remove, hovered, hover }: RowProps) {
  const units = useUnits();
  const bad = badCells(row);
  const field = worked?.field ? FIELD[worked.field] : undefined;
  const notes = bad.length
    ? [say`a cell holds no number`]
    : [...(worked?.problem && row.wet ? [worked.problem] : []), ...(worked?.cautions ?? [])];
  return (
    <>
      <tr
        className={`align-top ${hovered ? "bg-band" : ""}`}
        onMouseEnter={() => hover(index)}
        onMouseLeave={() => hover(null)}
      >
        <th scope="row" className="figure pr-2 pt-1 font-normal text-ink-2">
          {index + 1}
        </th>
        {columns.map((c) => {
          const wrong = bad.includes(c.name) || (field === c.name && row.wet !== "");
          return (
            <td key={c.name} className="pr-1.5 py-0.5">
              <input
                aria-label={say`${c.title}, row ${index + 1}`}
                aria-invalid={wrong || undefined}
                inputMode={c.number ? "decimal" : undefined}
                value={row[c.name]}
                onChange={(e) => set({ [c.name]: e.target.value })}
                className={`${c.width} ${c.number ? "figure text-right" : ""} rounded-sheet border bg-panel px-1 py-0.5 ${wrong ? "border-2 border-clay" : "border-rule"}`}
              />
            </td>
          );
        })}
        <td className="pr-1.5 py-0.5">
          <select
            aria-label={say`sensor, row ${index + 1}`}
            value={row.sensor}
            onChange={(e) => set({ sensor: e.target.value })}
            className="max-w-36 rounded-sheet border border-rule bg-panel py-0.5"
          >
            <option value="">{say`none`}</option>
            {[...new Set([...sensors, ...(row.sensor ? [row.sensor] : [])])].map((ref) => (
              <option key={ref}>{ref}</option>
            ))}
          </select>
        </td>
        <td className="figure pr-1.5 pt-1 text-right font-bold">
          {worked?.theta === null || worked?.theta === undefined
            ? "–"
            : `${(worked.theta * 100).toFixed(1)} %`}
        </td>
        <td className="figure pr-1.5 pt-1 text-right">
          {worked?.bulk_density_g_cm3 ? show(worked.bulk_density_g_cm3, "density", units, false) : "–"}
        </td>
        <td className="pt-1 whitespace-nowrap">
          <button
            type="button"
            className="underline"
            aria-label={say`${row.leftOut ? "use" : say`leave out`} row ${index + 1}`}
            onClick={() => set({ leftOut: row.leftOut ? "" : say`left out by hand` })}
          >
            {row.leftOut ? say`use` : say`leave out`}
          </button>{" "}
          <button
            type="button"
            className="underline"
            aria-label={say`delete row ${index + 1}`}
            onClick={remove}
          >{say`delete`}</button>
        </td>
      </tr>
      {(notes.length > 0 || row.leftOut) && (
        <tr>
          <td />
          <td colSpan={columns.length + 4} className="pb-1 text-[13px]">
            {row.leftOut && <b>{say`Kept, not used.`} </b>}
            {notes.map((note) => (
              <span key={note}>
                <b>{say`Check:`}</b> {note}.{" "}
              </span>
            ))}
          </td>
        </tr>
      )}
    </>
  );
}
