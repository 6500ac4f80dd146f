import { useMemo, useState } from "react";
import { useFarm } from "../../app/farm";
import { say } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";
import { ColumnTable } from "./ColumnTable";
import { FileLine } from "./FileLine";
import { ImportRun } from "./ImportRun";
import { PreviewTable } from "./PreviewTable";
import { type ImportFile, type Plan, usePreview, useSensors } from "./queries";

const ORDERS = [
  { value: "ymd", label: say`year, month, day` },
  { value: "dmy", label: say`day, month, year` },
  { value: "mdy", label: say`month, day, year` },
];
const OFFSETS = ["UTC-08:00", "UTC-05:00", "UTC", "UTC+01:00", "UTC+02:00", "UTC+03:00", "UTC+10:00"];

interface MapFileProps {
  file: ImportFile;
  again: () => void;
  take: (rowsHold: ImportFile["rows_hold"]) => void;
}

type Mapped = Record<string, { sensor: string; unit: string }>;

/** Say once what each column is; see at once how the file is read; then import. */
export function MapFile({ file, again, take }: MapFileProps) {
  const farm = useFarm();
  const sensors = useSensors();
  const [zone, setZone] = useState(file.time_zone);
  const [order, setOrder] = useState<string>(file.date_order);
  const [decimal, setDecimal] = useState(file.decimal);
  const [mapped, setMapped] = useState<Mapped>(() => suggested(file));
  const plan = useMemo(
    () => planOf(file.rows_hold, mapped, zone, order, decimal),
    [file, mapped, zone, order, decimal],
  );
  const preview = usePreview(file.token, plan);
  return (
    <>
      <FileLine file={file} again={again} />
      {file.matched && (
        <p className="secondary">{say`Mapped by ${file.matched}. Change what is not right.`}</p>
      )}
      {file.cautions.map((c) => (
        <p key={c} className="mt-1">
          <b>{say`Check:`}</b> {c}.
        </p>
      ))}
      <div className="mt-3 grid gap-x-8 gap-y-5 min-[1000px]:grid-cols-[minmax(0,1fr)_minmax(0,1.15fr)]">
        <section aria-label={say`Columns`}>
          <h2 className="text-[17px] font-bold">
            {file.rows_hold === "time" ? say`What each column is` : say`Which sensor each reading is from`}
          </h2>
          <p className="secondary">
            {file.rows_hold === "time"
              ? say`A row is one time, with a column a sensor.`
              : say`A row is one reading: ${file.said_by.join(", ")} name the sensor, ${file.value_column} holds it.`}{" "}
            {file.rows_hold === "reading" && (
              <button
                type="button"
                className="underline"
                onClick={() => take("time")}
              >{say`no, a row is one time`}</button>
            )}
          </p>
          <div className="mt-2 grid grid-cols-3 gap-3">
            <div>
              <Field
                label={say`Times are in`}
                list="zones"
                value={zone}
                onChange={(e) => setZone(e.target.value)}
              />
              <datalist id="zones">
                {[farm.time_zone, ...OFFSETS].map((z) => (
                  <option key={z} value={z} />
                ))}
              </datalist>
            </div>
            <Choice label={say`Dates are written`} value={order} options={ORDERS} change={setOrder} />
            <Choice
              label={say`Decimal sign`}
              value={decimal}
              change={setDecimal}
              options={[
                { value: ".", label: "point 0.23" },
                { value: ",", label: "comma 0,23" },
              ]}
            />
          </div>
          <p className="secondary mt-1">{say`A logger that never shifts for summer keeps an offset, such as UTC+01:00; one that shifts keeps a zone, such as ${farm.time_zone}.`}</p>
          <ColumnTable
            columns={file.columns.filter((c) => !c.is_time)}
            sensors={sensors.data?.sensors ?? []}
            mapped={mapped}
            heading={file.rows_hold === "time" ? "column" : file.said_by.join(" / ")}
            change={(name, sensor, unit) => setMapped((before) => ({ ...before, [name]: { sensor, unit } }))}
          />
        </section>
        <section aria-label={say`Preview`}>
          <h2 className="text-[17px] font-bold">{say`How it is read`}</h2>
          <PreviewTable
            preview={preview}
            plan={plan}
            head={file.head}
            sensors={sensors.data?.sensors ?? []}
          />
          <ImportRun file={file} plan={plan} ready={preview.isSuccess && plan.columns.length > 0} />
        </section>
      </div>
    </>
  );
}

function suggested(file: ImportFile): Mapped {
  const units = new Map(file.columns.map((c) => [c.name, c.unit]));
  return Object.fromEntries(
    Object.entries(file.suggestion).map(([column, sensor]) => [
      column,
      { sensor, unit: units.get(column) ?? "" },
    ]),
  );
}

function planOf(
  rows_hold: ImportFile["rows_hold"],
  mapped: Mapped,
  zone: string,
  order: string,
  decimal: string,
): Plan {
  return {
    rows_hold,
    time_zone: zone,
    date_order: order as Plan["date_order"],
    decimal: decimal as Plan["decimal"],
    columns: Object.entries(mapped)
      .filter(([, to]) => to.sensor !== "")
      .map(([column, to]) => ({
        column,
        sensor: to.sensor,
        unit: (to.unit || null) as NonNullable<Plan["columns"]>[number]["unit"],
      })),
  };
}
