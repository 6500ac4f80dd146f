import { useQuery } from "@tanstack/react-query";
import { scaleBand, scaleLinear } from "d3-scale";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Schemas, unwrap } from "../../api/client";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useAsOf, useFarm, useKeepAsOf, useUnits } from "../../app/farm";
import { momentOf, newKey, useApply } from "../../app/records";
import { useMay } from "../../app/session";
import { EDGE, Frame, roundTicks } from "../../charts/Frame";
import { dayMonth, wall } from "../../lib/dates";
import { quantity, show } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";

type Comparison = Schemas["ComparisonOut"];
const WIDTH = 860;
const HEIGHT = 220;

/** Two blocks of the farm, one watered by habit and one by advice: what it saved, and how sure that is. */
export function ComparePage() {
  const [asOf] = useAsOf();
  const keep = useKeepAsOf();
  const may = useMay();
  const farm = useFarm();
  const [adding, setAdding] = useState(false);
  const found = useQuery({
    queryKey: ["comparisons", asOf],
    queryFn: async () =>
      unwrap(await api.GET("/api/comparisons", { params: { query: asOf ? { as_of: asOf } : {} } })),
  });
  return (
    <div className="py-1">
      <p className="secondary">
        <Link className="underline" to={keep("/audit")}>{say`Audit`}</Link>
      </p>
      <div className="flex flex-wrap items-center gap-4">
        <h1>{say`Two ways compared`}</h1>
        {may("comparisons") && farm.blocks.length > 1 && !asOf && (
          <Button kind="ink" onClick={() => setAdding(true)}>{say`Compare two blocks`}</Button>
        )}
      </div>
      <p className="max-w-3xl">{say`Water one block as you always did and one by advice, and see after some weeks what lies between them.`}</p>
      {found.isPending && <p className="secondary">{say`Adding up the weeks …`}</p>}
      {found.isError && <p>{found.error.message}</p>}
      {found.data?.comparisons.length === 0 && <p className="mt-3">{say`Nothing is compared yet.`}</p>}
      {found.data?.comparisons.map((one) => (
        <Compared key={one.key} one={one} />
      ))}
      {adding && <AddDialog close={() => setAdding(false)} />}
    </div>
  );
}

const WHAT: Record<string, string> = {
  water: say`Water given`,
  losses: say`Water below the roots`,
  "dry days": say`Days past the trigger`,
};

function Compared({ one }: { one: Comparison }) {
  const units = useUnits();
  const figure = (what: string, value: number) =>
    what === "dry days" ? say`${value.toFixed(0)} days` : show(value, "depth", units);
  return (
    <section className="mt-5" aria-label={say`${one.habit_name} and ${one.advised_name}`}>
      <h2 className="text-[17px] font-bold">{say`${one.habit_name} by habit, ${one.advised_name} by advice`}</h2>
      <p className="secondary">{say`${dayMonth(wall(`${one.first_day}T00:00`))} to ${dayMonth(wall(`${one.last_day}T00:00`))}. ${one.note}`}</p>
      {one.words.map((words) => (
        <p key={words}>{words}.</p>
      ))}
      {one.differences.length > 0 && (
        <table className="mt-2 text-left">
          <thead className="secondary">
            <tr>
              {["", say`habit less advice`, say`9 times in 10 between`, ""].map((h, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: fixed columns
                <th key={i} className="pr-6 font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {one.differences.map((d) => (
              <tr key={d.what} className="border-t border-rule">
                <th scope="row" className="py-1 pr-6 font-normal">
                  {WHAT[d.what] ?? d.what}
                </th>
                <td className="figure pr-6 font-bold">{figure(d.what, d.mid)}</td>
                <td className="figure pr-6">{say`${figure(d.what, d.low)} to ${figure(d.what, d.high)}`}</td>
                <td>{d.told_apart ? say`told apart` : say`not told apart`}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {one.weeks.length > 0 && <Weeks one={one} />}
    </section>
  );
}

function Weeks({ one }: { one: Comparison }) {
  const units = useUnits();
  const most = Math.max(1, ...one.weeks.flatMap((w) => [w.habit_mm, w.advised_mm]));
  const places = scaleBand(
    one.weeks.map((_, i) => i),
    [EDGE.left, WIDTH - EDGE.right],
  ).padding(0.25);
  const y = scaleLinear([0, most], [HEIGHT - EDGE.bottom, EDGE.top]);
  const x = (i: number) => (places(i) ?? 0) + places.bandwidth() / 2;
  const bar = places.bandwidth() / 2;
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`Water each week: ${one.weeks.map((w) => say`${w.day} ${w.habit_mm.toFixed(0)} and ${w.advised_mm.toFixed(0)}`).join("; ")}`}
      x={x}
      y={y}
      xTicks={one.weeks.flatMap((w, i) =>
        i % Math.max(1, Math.round(one.weeks.length / 8)) === 0
          ? [{ at: i, label: dayMonth(wall(`${w.day}T00:00`)) }]
          : [],
      )}
      yTicks={roundTicks(0, most, 4, (v) => show(v, "depth", units, false))}
      yTitle={say`${quantity("depth", units).unit} a week; outline: habit, filled: advice`}
      className="mt-2 w-full max-w-[980px]"
    >
      {one.weeks.map((w, i) => (
        <g key={w.day}>
          <rect
            x={x(i) - bar}
            width={bar - 1}
            y={y(w.habit_mm)}
            height={y(0) - y(w.habit_mm)}
            className="fill-none stroke-ink"
          />
          <rect
            x={x(i) + 1}
            width={bar - 1}
            y={y(w.advised_mm)}
            height={y(0) - y(w.advised_mm)}
            className="fill-deep"
          />
        </g>
      ))}
    </Frame>
  );
}

function AddDialog({ close }: { close: () => void }) {
  const farm = useFarm();
  const apply = useApply();
  const [habit, setHabit] = useState(farm.blocks[0]?.key ?? "");
  const [advised, setAdvised] = useState(farm.blocks[1]?.key ?? "");
  const options = farm.blocks.map((b) => ({ value: b.key, label: b.name }));
  const number = (form: FormData, name: string) => {
    const text = textIn(form, name).replace(",", ".");
    return text === "" ? null : Number(text);
  };
  const store = (form: FormData) =>
    apply.mutateAsync({
      comparisons: [
        {
          key: newKey("compare", farm),
          block: habit,
          advised,
          first_day: textIn(form, "first_day"),
          last_day: null,
          habit_yield_t_ha: number(form, "habit_yield_t_ha"),
          advised_yield_t_ha: number(form, "advised_yield_t_ha"),
          note: textIn(form, "note"),
        },
      ] as never,
    });
  return (
    <FormDialog title={say`Compare two blocks`} open close={close} store={store} label={say`Compare`}>
      {(refused) => (
        <>
          <Choice
            label={say`By habit`}
            value={habit}
            options={options}
            change={setHabit}
            error={refused.block}
          />
          <Choice
            label={say`By advice`}
            value={advised}
            options={options}
            change={setAdvised}
            error={refused.advised}
          />
          <Field
            label={say`From`}
            name="first_day"
            type="date"
            defaultValue={momentOf(farm).slice(0, 10)}
            error={refused.first_day}
          />
          <div className="grid grid-cols-2 gap-3">
            <Field label={say`Yield by habit, t/ha`} name="habit_yield_t_ha" inputMode="decimal" />
            <Field label={say`Yield by advice, t/ha`} name="advised_yield_t_ha" inputMode="decimal" />
          </div>
          <Field label={say`Note`} name="note" />
        </>
      )}
    </FormDialog>
  );
}
