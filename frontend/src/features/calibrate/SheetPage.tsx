import { useEffect, useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf, newKey, useApply, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { CurvePlot, OneToOne, Residuals } from "../../charts/CalibrationPlots";
import { rawUnitWord, type UnitSystem } from "../../lib/units";
import { say, sayCount } from "../../lib/words";
import { Button } from "../../ui/Button";
import { RefusalNote, type Refusals } from "../../ui/entries";
import { Choice, Field } from "../../ui/Field";
import { ApplyPanel } from "./ApplyPanel";
import { emptyRow, RAW_UNITS, type Sheet, sampleOf, sheetOf, storable, type Typed } from "./draft";
import { Models } from "./Models";
import { type SheetDraft, useCalibrations, useSheet, useWorked } from "./queries";
import { SampleTable } from "./SampleTable";

const TYPING_MS = 350;

/** A sample sheet: weigh, dry, fit, compare, and put the curve in force. */
export function SheetPage() {
  const { key = "" } = useParams();
  const stored = useSheet(key === "new" ? undefined : key);
  const farm = useFarm();
  const units = useUnits();
  if (key !== "new" && stored.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (key !== "new" && stored.isError) return <p className="py-6">{stored.error.message}</p>;
  const begin: Sheet = stored.data
    ? sheetOf(stored.data.sheet, units)
    : {
        key: newKey("sheet", farm),
        name: "",
        block: farm.blocks[0]?.key ?? "",
        rawUnit: "count",
        on: momentOf(farm).slice(0, 10),
        note: "",
        rows: Array.from({ length: 6 }, () => emptyRow()),
      };
  return <SheetWork key={key} begin={begin} isNew={key === "new"} />;
}

function SheetWork({ begin, isNew }: { begin: Sheet; isNew: boolean }) {
  const [sheet, setSheet] = useState(begin);
  const [model, setModel] = useState<NonNullable<SheetDraft["model"]>>("");
  const [group, setGroup] = useState("");
  const [hovered, setHovered] = useState<number | null>(null);
  const may = useMay();
  const units = useUnits();
  const draft = useSettled(useDraft(sheet, model, group, units));
  const worked = useWorked(draft);
  const sensors = useCalibrations(sheet.block || undefined);
  const set = (part: Partial<Sheet>) => setSheet({ ...sheet, ...part });
  const refs = (sensors.data?.sensors ?? [])
    .filter((s) => s.raw_unit === sheet.rawUnit)
    .map((s) => String(s.ref));
  const found = worked.data;
  return (
    <div className="py-1">
      <p className="secondary">
        <Link className="underline" to="/bench?tab=calibration">{say`Bench, calibration`}</Link>
      </p>
      <Head sheet={sheet} set={set} isNew={isNew} />
      <div className="mt-3 grid grid-cols-[minmax(0,1fr)] gap-6 xl:grid-cols-[minmax(0,1fr)_430px]">
        <div>
          <ForAll rows={sheet.rows} change={(rows) => set({ rows })} />
          <SampleTable
            rows={sheet.rows}
            worked={found?.rows ?? []}
            sensors={refs}
            change={(rows) => set({ rows })}
            hovered={hovered}
            hover={setHovered}
          />
          {may("sample_sheets") && <Keep sheet={sheet} isNew={isNew} />}
        </div>
        <div>
          {worked.isError && <p>{worked.error.message}</p>}
          {found && <CurvePlot worked={found} unit={sheet.rawUnit} hovered={hovered} hover={setHovered} />}
          {found && (
            <Models worked={found} choose={setModel} chosen={model} group={group} setGroup={setGroup} />
          )}
        </div>
      </div>
      {found?.shown && (
        <div className="mt-4 grid grid-cols-[minmax(0,1fr)] gap-6 xl:grid-cols-[250px_250px_minmax(0,1fr)]">
          <OneToOne worked={found} hovered={hovered} hover={setHovered} />
          <Residuals worked={found} unit={sheet.rawUnit} hovered={hovered} hover={setHovered} />
          <ApplyPanel worked={found} refs={refs} block={sheet.block} />
        </div>
      )}
    </div>
  );
}

function useDraft(
  sheet: Sheet,
  model: NonNullable<SheetDraft["model"]>,
  group: string,
  units: UnitSystem,
): SheetDraft {
  return useMemo(
    () => ({
      block: sheet.block || null,
      raw_unit: sheet.rawUnit,
      samples: sheet.rows.map((row) => sampleOf(row, units)),
      model,
      group,
      sheet: sheet.key,
    }),
    [sheet, model, group, units],
  );
}

/** A value once it has not changed for a moment. */
function useSettled<T>(value: T): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), TYPING_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return settled;
}

interface HeadProps {
  sheet: Sheet;
  set: (part: Partial<Sheet>) => void;
  isNew: boolean;
}

function Head({ sheet, set, isNew }: HeadProps) {
  const farm = useFarm();
  const units = useUnits();
  return (
    <>
      <h1>{isNew ? say`New sample sheet` : sheet.name}</h1>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <Field
          label={say`Name`}
          value={sheet.name}
          onChange={(e) => set({ name: e.target.value })}
          className="w-64"
        />
        <Choice
          label={say`Block`}
          value={sheet.block}
          options={[
            { value: "", label: "none" },
            ...farm.blocks.map((b) => ({ value: b.key, label: b.name })),
          ]}
          change={(block) => set({ block })}
          className="w-40"
        />
        <Choice
          label={say`Readings in`}
          value={sheet.rawUnit}
          options={RAW_UNITS.map((u) => ({ value: u, label: rawUnitWord(String(u), units) }))}
          change={(unit) => set({ rawUnit: unit as Sheet["rawUnit"] })}
          className="w-32"
        />
        <Field
          label={say`Day`}
          type="date"
          value={sheet.on}
          onChange={(e) => set({ on: e.target.value })}
          className="w-40"
        />
        {sheet.block && (
          <Link
            className="pb-2 underline"
            to={`/bench/plan/${sheet.block}`}
          >{say`sampling plan and lab sheet to print`}</Link>
        )}
      </div>
    </>
  );
}

const COMMON: { name: keyof Typed; label: string }[] = [
  { name: "ring", label: say`Ring, cm³` },
  { name: "stones", label: say`Stones left out, % by volume` },
  { name: "ovenC", label: say`Oven, °C` },
  { name: "ovenH", label: say`Hours in it` },
  { name: "soil", label: say`Soil` },
];

/** What is mostly the same for every tin; each change goes to all rows. */
function ForAll({ rows, change }: { rows: Typed[]; change: (rows: Typed[]) => void }) {
  return (
    <div className="mb-2 flex flex-wrap gap-3">
      {COMMON.map(({ name, label }) => {
        const values = [...new Set(rows.map((r) => r[name]))];
        return (
          <Field
            key={name}
            label={label}
            value={values.length === 1 ? (values[0] ?? "") : ""}
            placeholder={values.length > 1 ? say`differ` : ""}
            onChange={(e) => change(rows.map((r) => ({ ...r, [name]: e.target.value })))}
            className={name === "soil" ? "w-44" : "w-28"}
          />
        );
      })}
    </div>
  );
}

function Keep({ sheet, isNew }: { sheet: Sheet; isNew: boolean }) {
  const apply = useApply();
  const units = useUnits();
  const navigate = useNavigate();
  const [who] = useWho();
  const [refused, setRefused] = useState<Refusals>({});
  const { samples, short } = storable(sheet.rows, units);
  const store = async () => {
    try {
      await apply.mutateAsync({
        sample_sheets: [
          {
            key: sheet.key,
            name: sheet.name,
            block: sheet.block || null,
            raw_unit: sheet.rawUnit,
            on: sheet.on,
            samples: samples as never,
            who,
            note: sheet.note,
          },
        ],
      });
      setRefused({});
      if (isNew) navigate(`/bench/sheet/${sheet.key}`, { replace: true });
    } catch (error) {
      setRefused({
        "": errorsOf(error)
          .map((e) => `${e.path.replace("sample_sheets[0].", "")}: ${e.reason}`)
          .join("; "),
      });
    }
  };
  return (
    <div className="mt-3">
      <RefusalNote refused={refused} />
      <Button
        kind="ink"
        disabled={apply.isPending || samples.length === 0}
        onClick={() => void store()}
      >{say`Save sheet`}</Button>
      <span className="secondary ml-3">
        {apply.isSuccess ? say`Saved. ` : ""}
        {short > 0 &&
          sayCount(
            short,
            "{n} begun tin without all masses or a reading stays on this page only.",
            "{n} begun tins without all masses or a reading stay on this page only.",
          )}
      </span>
    </div>
  );
}
