import { useState } from "react";
import { Link, useParams } from "react-router";
import { useUnits } from "../../app/farm";
import { CompanionTrace, SensorTrace } from "../../charts/SensorTrace";
import { clock, dayMonth, wall } from "../../lib/dates";
import { quantity, show } from "../../lib/units";
import { say, sayCount } from "../../lib/words";
import { Judged } from "./Judged";
import { type Fault, type SensorContent, useSensor } from "./queries";

const SPANS = [14, 60, 150];

/** One sensor: its trace with what is not believed, why, and what people say of it. */
export function SensorPage() {
  const { block = "", station = "", sensor = "" } = useParams();
  const [days, setDays] = useState(60);
  const units = useUnits();
  const page = useSensor(block, station, sensor, days);
  if (page.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (page.isError) return <p className="py-6">{page.error.message}</p>;
  const { data } = page;
  return (
    <div className="py-1">
      <p className="secondary">
        <Link className="underline" to={`/stations/${block}/${station}`}>
          {data.name}
        </Link>
      </p>
      <div className="flex flex-wrap items-baseline justify-between gap-4">
        <h1>{say`Sensor at ${show(data.depth_cm, "soilDepth", units)}`}</h1>
        <div className="flex gap-4">
          {SPANS.map((span) => (
            <button
              key={span}
              type="button"
              aria-pressed={span === days}
              className={span === days ? "font-bold underline" : "text-ink-2"}
              onClick={() => setDays(span)}
            >{say`${span} days`}</button>
          ))}
        </div>
      </div>
      {data.about && <p className="secondary">{data.about}.</p>}
      <SensorTrace content={data} />
      {data.companions.map((trace) => (
        <Beside key={trace.quantity} content={data} trace={trace} />
      ))}
      <h2 className="mt-4 text-[17px] font-bold">{sentence(data)}</h2>
      <ul className="mt-1 max-w-4xl">
        {data.suspicions.map((s) => (
          <Judged
            key={s.id}
            kind="suspicions"
            id={s.id}
            title={say`crossed wires?`}
            words={s.words}
            verdict={s.verdict}
            note={[s.who, s.note].filter(Boolean).join(": ")}
          />
        ))}
        {data.faults.map((f) => (
          <Judged
            key={f.id}
            kind="faults"
            id={f.id}
            title={say`${f.fault}, ${span(f)}`}
            words={
              f.readings ? `${f.reason}; ${sayCount(f.readings, "{n} reading", "{n} readings")}` : f.reason
            }
            verdict={f.verdict}
            note={[f.who, f.note].filter(Boolean).join(": ")}
            plain={f.readings === 0}
          />
        ))}
      </ul>
    </div>
  );
}

function Beside({ content, trace }: { content: SensorContent; trace: SensorContent["companions"][number] }) {
  const units = useUnits();
  const first = content.times[0] ?? trace.times[0];
  const last = content.times.at(-1) ?? trace.times.at(-1);
  if (first === undefined || last === undefined) return null;
  const warm = trace.quantity === "temperature";
  return (
    <CompanionTrace
      trace={trace}
      span={[first, last]}
      unit={warm ? quantity("temperature", units).unit : trace.unit}
      shown={(value) => (warm ? Number(show(value, "temperature", units, false).replace("−", "-")) : value)}
    />
  );
}

function sentence(data: SensorContent): string {
  if (data.faults.length + data.suspicions.length === 0) return say`No faults`;
  const readings = data.faults.filter((f) => f.kept_out).reduce((sum, f) => sum + f.readings, 0);
  if (readings === 0) return say`Every reading is used`;
  return sayCount(readings, "{n} reading set aside", "{n} readings set aside");
}

function span(f: Fault): string {
  const start = wall(f.start);
  const end = wall(f.end);
  if (f.start === f.end) return `${dayMonth(start)}, ${clock(start)}`;
  return say`${dayMonth(start)}, ${clock(start)} to ${dayMonth(end)}, ${clock(end)}`;
}
