import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { say } from "../../lib/words";

type Sensor = Schemas["SensorOut"];

const UNITS = [
  { value: "", label: say`as the sensor` },
  { value: "%", label: "%" },
  { value: "m3/m3", label: "m³/m³" },
  { value: "count", label: say`raw count` },
  { value: "mV", label: "mV" },
  { value: "kPa", label: "kPa" },
  { value: "ohm", label: "ohm" },
  { value: "kohm", label: "kohm" },
  { value: "degC", label: "°C" },
  { value: "degF", label: "°F" },
  { value: "dS/m", label: "dS/m" },
  { value: "uS/cm", label: "µS/cm" },
  { value: "permittivity", label: "permittivity" },
  { value: "mm", label: say`mm, trunk` },
  { value: "um", label: say`µm, trunk` },
];

interface TableProps {
  columns: Schemas["ColumnOut"][];
  sensors: Sensor[];
  mapped: Record<string, { sensor: string; unit: string }>;
  change: (column: string, sensor: string, unit: string) => void;
  heading: string;
}

/** One row a column: its name, first values, the sensor it belongs to, its unit. */
export function ColumnTable({ columns, sensors, mapped, change, heading }: TableProps) {
  return (
    <table className="mt-3 w-full border-t border-rule text-left">
      <thead className="secondary">
        <tr>
          <th className="py-1 font-normal">{heading}</th>
          <th className="font-normal">{say`first values`}</th>
          <th className="font-normal">{say`sensor`}</th>
          <th className="font-normal">{say`unit`}</th>
        </tr>
      </thead>
      <tbody>
        {columns.map((column) => {
          const to = mapped[column.name] ?? { sensor: "", unit: column.unit };
          return (
            <tr key={column.name} className="border-t border-rule align-middle">
              <td className="max-w-36 truncate py-1 pr-2 font-bold" title={column.name}>
                {column.name}
              </td>
              <td className="figure max-w-32 truncate pr-2 text-[12.5px]">
                {column.samples.slice(0, 3).join(" ")}
              </td>
              <td className="pr-2">
                <SensorChoice
                  label={say`Sensor of ${column.name}`}
                  sensors={sensors}
                  value={to.sensor}
                  change={(sensor) => change(column.name, sensor, to.unit)}
                />
              </td>
              <td>
                <select
                  aria-label={say`Unit of ${column.name}`}
                  className="rounded-sheet border border-rule bg-panel px-1 py-1"
                  value={to.unit}
                  onChange={(e) => change(column.name, to.sensor, e.target.value)}
                >
                  {UNITS.map((u) => (
                    <option key={u.value} value={u.value}>
                      {u.label}
                    </option>
                  ))}
                </select>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

interface ChoiceProps {
  label: string;
  sensors: Sensor[];
  value: string;
  change: (ref: string) => void;
}

const NONE: Sensor = { ref: "", label: say`leave out`, depth_cm: 0, raw_unit: "", channel: "" };

function SensorChoice({ label, sensors, value, change }: ChoiceProps) {
  const [typed, setTyped] = useState("");
  const words = typed.toLowerCase().split(/\s+/);
  const found = [NONE, ...sensors]
    .filter((s) => words.every((w) => s.label.toLowerCase().includes(w)))
    .slice(0, 60);
  const chosen = sensors.find((s) => s.ref === value) ?? NONE;
  return (
    <Combobox
      value={chosen}
      by="ref"
      immediate
      onChange={(s: Sensor | null) => change(s?.ref ?? "")}
      onClose={() => setTyped("")}
    >
      <ComboboxInput
        aria-label={label}
        displayValue={(s: Sensor) => s.label}
        onChange={(e) => setTyped(e.target.value)}
        className={`w-full min-w-40 rounded-sheet border border-rule bg-panel px-2 py-1 ${chosen === NONE ? "text-ink-2" : ""}`}
      />
      <ComboboxOptions
        anchor="bottom start"
        className="sheet z-20 max-h-64 w-72 overflow-auto border-ink! py-1"
      >
        {found.map((s) => (
          <ComboboxOption
            key={s.ref}
            value={s}
            className="cursor-pointer px-3 py-1 data-focus:bg-band data-selected:font-bold"
          >
            {s.label}
          </ComboboxOption>
        ))}
        {found.length === 0 && <p className="secondary px-3 py-1">{say`no such sensor`}</p>}
      </ComboboxOptions>
    </Combobox>
  );
}
