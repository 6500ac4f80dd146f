import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { momentOf, newKey } from "../../app/records";
import { quantityOf, show, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Field";
import { type Bench, useApply, useProcedures } from "./queries";

/** Conditioning, service and hardware checks: what is under way, what was found, what to begin. */
export function Work({ bench }: { bench: Bench }) {
  const open = bench.runs.filter((r) => !r.closed);
  const closed = bench.runs.filter((r) => r.closed);
  return (
    <div className="grid gap-8 lg:grid-cols-[minmax(0,1.4fr)_minmax(0,1fr)]">
      <div>
        <h2 className="text-[17px] font-bold">{say`Under way`}</h2>
        {open.length === 0 && <p className="secondary">{say`Nothing.`}</p>}
        <Runs runs={open} />
        <h2 className="mt-5 text-[17px] font-bold">{say`Done`}</h2>
        {closed.length === 0 && <p className="secondary">{say`Nothing yet.`}</p>}
        <Runs runs={closed} />
      </div>
      <Begin bench={bench} />
    </div>
  );
}

function Runs({ runs }: { runs: Schemas["RunLine"][] }) {
  return (
    <ul>
      {runs.map((r) => (
        <li key={r.key} className="border-t border-rule">
          <Link
            to={`/run/${r.key}`}
            className="grid gap-x-4 py-1.5 hover:bg-panel sm:grid-cols-[6rem_1fr_1fr]"
          >
            <b>{r.device}</b>
            <span>{r.title}</span>
            <span>
              {r.verdict === "not ready" ? (
                <b>{say`✕ not ready`}</b>
              ) : r.verdict === "ready" ? (
                say`ready`
              ) : (
                ""
              )}{" "}
              <span className="secondary">{r.words}</span>
            </span>
          </Link>
        </li>
      ))}
    </ul>
  );
}

function fits(procedure: string, type: string): boolean {
  if (procedure.startsWith("condition") || procedure === "soak-again")
    return type === "granular matrix sensor";
  if (procedure === "tensiometer-service") return type === "tensiometer";
  return type === "home-made capacitance sensor" || type === "other";
}

function Begin({ bench }: { bench: Bench }) {
  const units = useUnits();
  const farm = useFarm();
  const navigate = useNavigate();
  const apply = useApply();
  const procedures = useProcedures();
  const offered = (procedures.data ?? []).filter((p) => p.subject === "device");
  const [name, setName] = useState("condition-a");
  const [devices, setDevices] = useState<string[]>([]);
  const chosen = offered.find((p) => p.procedure === name);
  const able = bench.devices.filter((d) => d.state !== "in the ground" && fits(name, d.type));
  const begin = async () => {
    const runs = devices.map((device) => ({
      key: newKey(`${name}-${device}`.slice(0, 30), farm),
      procedure: name,
      device,
      started: momentOf(farm),
      done: {},
    }));
    await apply.mutateAsync({ procedure_runs: runs });
    setDevices([]);
    if (runs.length === 1) navigate(`/run/${runs[0]?.key}`);
  };
  return (
    <section>
      <h2 className="text-[17px] font-bold">{say`Start`}</h2>
      <Choice
        label={say`Procedure`}
        value={name}
        change={(n) => {
          setName(n);
          setDevices([]);
        }}
        options={offered.map((p) => ({ value: p.procedure, label: p.title }))}
      />
      {chosen && (
        <>
          <p className="mt-1">{chosen.about}</p>
          <ol className="mt-1 list-decimal pl-5">
            {chosen.steps.map((s) => (
              <li key={s.step}>
                {s.title}
                {stepLimits(s, units)}
                {s.timer_min !== null && (
                  <span className="secondary">
                    {" "}
                    {s.timer_min >= 120 ? `${s.timer_min / 60} h` : say`${s.timer_min} min`}
                  </span>
                )}
              </li>
            ))}
          </ol>
          <p className="secondary">{chosen.source}</p>
        </>
      )}
      <fieldset className="mt-3">
        <legend className="text-[13px] font-bold">{say`On these sensors`}</legend>
        {able.length === 0 && (
          <p className="secondary">{say`No sensor of the right type is out of the ground.`}</p>
        )}
        <div className="grid grid-cols-3 gap-1">
          {able.map((d) => (
            <label key={d.key} className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={devices.includes(d.key)}
                onChange={(e) =>
                  setDevices(e.target.checked ? [...devices, d.key] : devices.filter((k) => k !== d.key))
                }
              />
              {d.key}
            </label>
          ))}
        </div>
      </fieldset>
      <Button
        kind="ink"
        className="mt-3"
        disabled={devices.length === 0 || apply.isPending}
        onClick={() => void begin()}
      >{say`Start`}</Button>
    </section>
  );
}

/** A step's limits in brackets, in the reader's units; empty when it has none. */
function stepLimits(
  step: { low: number | null; high: number | null; unit: string },
  units: UnitSystem,
): string {
  const name = quantityOf(step.unit);
  const figure = (value: number) => (name ? show(value, name, units) : `${value} ${step.unit}`.trim());
  const parts = [
    step.low !== null && step.low > 0 ? say`${figure(step.low)} or more` : "",
    step.high !== null ? say`${figure(step.high)} or less` : "",
  ].filter(Boolean);
  return parts.length > 0 ? ` (${parts.join(", ")})` : "";
}
