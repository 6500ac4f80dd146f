import { scaleLinear } from "d3-scale";
import { useState } from "react";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf, useApply, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { EDGE, Frame, roundTicks } from "../../charts/Frame";
import { dayMonth, wall } from "../../lib/dates";
import { quantity, show, toInput, toServer } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import type { Growth } from "./queries";

const WIDTH = 560;
const HEIGHT = 220;
const at = (day: string) => wall(`${day}T00:00`).getTime() / 1000;

/** Fruit samples on the path to the size wanted at harvest. */
export function Fruit({ growth }: { growth: Growth }) {
  const units = useUnits();
  const size = (mm: number, withUnit = true) => show(mm, "size", units, withUnit);
  const may = useMay();
  const last = growth.fruit[growth.fruit.length - 1];
  return (
    <section aria-label={say`Fruit`} className="mt-6">
      <h2 className="text-[17px] font-bold">{say`Fruit size`}</h2>
      <div className="grid gap-6 lg:grid-cols-[580px_minmax(0,1fr)]">
        {growth.target ? (
          <Path growth={growth} />
        ) : (
          <p>{say`No target size is set: give one to see the path to harvest.`}</p>
        )}
        <div>
          {last && (
            <p>{sayWith`${<b>{dayMonth(wall(`${last.day}T00:00`))}:</b>} ${size(last.mean_mm, false)} ± ${size(last.error_mm)} (${last.count} fruit), ${last.words}.`}</p>
          )}
          {may("fruit_samples") && growth.target && <Sample block={growth.block} />}
          {may("fruit_targets") && <Target growth={growth} />}
        </div>
      </div>
    </section>
  );
}

function Path({ growth }: { growth: Growth }) {
  const units = useUnits();
  const size = (mm: number, withUnit = true) => show(mm, "size", units, withUnit);
  const target = growth.target;
  if (!target) return null;
  const ends = [at(target.first_day), at(target.harvest)] as const;
  const sizes = [target.first_mm, target.target_mm, ...growth.fruit.map((f) => f.mean_mm)];
  const [low, high] = [Math.min(...sizes) - 4, Math.max(...sizes) + 4];
  const x = scaleLinear([ends[0], ends[1]], [EDGE.left, WIDTH - EDGE.right - 10]);
  const y = scaleLinear([low, high], [HEIGHT - EDGE.bottom, EDGE.top]);
  const days = [target.first_day, ...growth.fruit.map((f) => f.day), target.harvest];
  const shown = days.filter((_, i) => i === 0 || i === days.length - 1 || i % 2 === 1);
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`Fruit on the path to ${size(target.target_mm)} on ${dayMonth(wall(`${target.harvest}T00:00`))}: ${growth.fruit.map((f) => `${dayMonth(wall(`${f.day}T00:00`))} ${size(f.mean_mm)}`).join(", ")}`}
      x={x}
      y={y}
      xTicks={shown.map((d) => ({ at: at(d), label: dayMonth(wall(`${d}T00:00`)) }))}
      yTicks={roundTicks(low, high, 4, (v) => size(v, false))}
      time={{ x, at: x.invert, days: true }}
      yTitle={say`diameter, ${quantity("size", units).unit}; line: the path to harvest`}
    >
      <line
        x1={x(ends[0])}
        y1={y(target.first_mm)}
        x2={x(ends[1])}
        y2={y(target.target_mm)}
        className="stroke-ink"
        strokeDasharray="6 4"
      />
      {growth.fruit.map((f) => (
        <g key={f.day}>
          <line
            x1={x(at(f.day))}
            x2={x(at(f.day))}
            y1={y(f.mean_mm - 2 * f.error_mm)}
            y2={y(f.mean_mm + 2 * f.error_mm)}
            className="stroke-ink-2"
          />
          <circle cx={x(at(f.day))} cy={y(f.mean_mm)} r={4} className="fill-deep" />
        </g>
      ))}
    </Frame>
  );
}

function Sample({ block }: { block: string }) {
  const units = useUnits();
  const farm = useFarm();
  const apply = useApply();
  const [who] = useWho();
  const [text, setText] = useState("");
  const [trouble, setTrouble] = useState("");
  const [harvest, setHarvest] = useState(false);
  const sizes = text
    .split(/[\s;]+/)
    .filter(Boolean)
    .map((t) => Number(t.replace(",", ".")));
  const store = async () => {
    const on = momentOf(farm).slice(0, 10);
    try {
      await apply.mutateAsync({
        fruit_samples: [
          {
            key: `${block}-${on.replaceAll("-", "")}${harvest ? "-harvest" : ""}`,
            at_harvest: harvest,
            block,
            on,
            diameters_mm: sizes.map((s) => toServer(s, "size", units)),
            who,
          },
        ] as never,
      });
      setText("");
      setTrouble("");
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  return (
    <div className="mt-2 flex flex-wrap items-end gap-3">
      <Field
        label={say`Today's diameters, ${quantity("size", units).unit}`}
        value={text}
        inputMode="decimal"
        placeholder={units === "us" ? "2.4 2.3 2.5 …" : "61 58.5 63 …"}
        error={trouble || undefined}
        onChange={(e) => setText(e.target.value)}
        className="w-72"
      />
      <label className="flex items-center gap-2 pb-2">
        <input type="checkbox" checked={harvest} onChange={(e) => setHarvest(e.target.checked)} />{" "}
        {say`at harvest`}
      </label>
      <Button
        disabled={sizes.length < 3 || sizes.some((s) => !(s > 0)) || apply.isPending}
        onClick={() => void store()}
      >{say`Save`}</Button>
    </div>
  );
}

function Target({ growth }: { growth: Growth }) {
  const units = useUnits();
  const farm = useFarm();
  const apply = useApply();
  const today = momentOf(farm).slice(0, 10);
  const [first, setFirst] = useState(growth.target?.first_day ?? today);
  const [small, setSmall] = useState(growth.target ? toInput(growth.target.first_mm, "size", units) : "");
  const [harvest, setHarvest] = useState(growth.target?.harvest ?? "");
  const [large, setLarge] = useState(growth.target ? toInput(growth.target.target_mm, "size", units) : "");
  const [trouble, setTrouble] = useState("");
  const store = async () => {
    try {
      await apply.mutateAsync({
        fruit_targets: [
          {
            key: growth.block,
            first_day: first,
            first_mm: toServer(Number(small.replace(",", ".")), "size", units),
            harvest,
            target_mm: toServer(Number(large.replace(",", ".")), "size", units),
          },
        ] as never,
      });
      setTrouble("");
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  return (
    <details className="mt-3">
      <summary className="underline">{growth.target ? say`change the path` : say`set the path`}</summary>
      <div className="mt-2 grid max-w-md grid-cols-2 gap-3">
        <Field label={say`First day`} type="date" value={first} onChange={(e) => setFirst(e.target.value)} />
        <Field
          label={say`Size then, ${quantity("size", units).unit}`}
          value={small}
          onChange={(e) => setSmall(e.target.value)}
        />
        <Field
          label={say`Harvest`}
          type="date"
          value={harvest}
          onChange={(e) => setHarvest(e.target.value)}
        />
        <Field
          label={say`Size wanted, ${quantity("size", units).unit}`}
          value={large}
          onChange={(e) => setLarge(e.target.value)}
        />
      </div>
      {trouble && <p className="font-bold text-clay">{trouble}</p>}
      <Button
        className="mt-2"
        disabled={apply.isPending}
        onClick={() => void store()}
      >{say`Save target`}</Button>
    </details>
  );
}
