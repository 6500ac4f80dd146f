import { useState } from "react";
import { type BlockAudit, changeWords, useAuditActs } from "../../app/audits";
import { useUnits } from "../../app/farm";
import { errorsOf } from "../../app/records";
import { useMay } from "../../app/session";
import { dated } from "../../lib/dates";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";

interface PartProps {
  audit: BlockAudit;
  past: boolean;
}

/** Picks something from an audit; what the server refuses is said. */
export function usePicking(key: string) {
  const { pick } = useAuditActs(key);
  const [said, setSaid] = useState("");
  const take = (what: "dose" | "efficiency" | "wetted", drop = false) =>
    pick.mutate(
      { what, drop },
      {
        onSuccess: () => setSaid(""),
        onError: (error) => setSaid(errorsOf(error)[0]?.reason ?? error.message),
      },
    );
  return { take, said, busy: pick.isPending };
}

/** The next dose as arithmetic, and the button that takes it. */
export function NextDose({ audit, past }: PartProps) {
  const units = useUnits();
  const may = useMay();
  const { dose } = audit;
  const { take, said, busy } = usePicking(audit.key);
  const mm = (value: number | null) => (value === null ? "–" : show(value, "depth", units));
  const offered = dose.factor !== 1;
  const same = Math.abs(dose.factor - dose.in_force) < 0.005;
  const acts = may("set_choices") && !past && dose.mode === "offered";
  const lines: [string, string][] = [
    [say`Advised net`, mm(dose.advised_net_mm)],
    ...(dose.by_water === null ? [] : [line(say`Water that came`, dose.water_sets, dose.by_water)]),
    ...(dose.by_lower === null ? [] : [line(say`Lower sensors`, dose.lower_sets, dose.by_lower)]),
  ];
  return (
    <section aria-label={say`Next set`} className="sheet p-4">
      <h2 className="text-[17px] font-bold">
        {offered ? say`Next set ${changeWords(dose.factor)}` : say`Next set as advised`}
      </h2>
      {dose.why.map((words) => (
        <p key={words}>{words}</p>
      ))}
      <dl className="mt-2">
        {lines.map(([label, value]) => (
          <Figure key={label} label={label} value={value} />
        ))}
        {offered && <Figure label={say`Corrected`} value={mm(dose.corrected_net_mm)} result />}
      </dl>
      {dose.in_force !== 1 && (
        <p className="mt-2">{say`In force: × ${dose.in_force.toFixed(2)} since ${dated(dose.in_force_since)}${dose.mode === "applied" && say`, applied automatically`}.`}</p>
      )}
      {dose.in_force === 1 && dose.mode === "applied" && (
        <p className="mt-2">{say`Corrections are applied automatically each morning.`}</p>
      )}
      {acts && (
        <p className="no-print mt-3 flex flex-wrap gap-2">
          {offered && !same && (
            <Button
              kind="act"
              disabled={busy}
              onClick={() => take("dose")}
            >{say`Use ${mm(dose.corrected_net_mm)}`}</Button>
          )}
          {dose.in_force !== 1 && (
            <Button disabled={busy} onClick={() => take("dose", true)}>{say`Stop correcting`}</Button>
          )}
        </p>
      )}
      {said && (
        <p role="alert" className="mt-2 font-bold text-clay">
          {said}
        </p>
      )}
    </section>
  );
}

const line = (label: string, sets: number, change: number): [string, string] => [
  say`${label}, ${sets} sets`,
  changeWords(1 + change),
];

function Figure({ label, value, result }: { label: string; value: string; result?: boolean }) {
  return (
    <div
      className={`flex justify-between gap-3 ${result ? "mt-0.5 border-t border-ink pt-0.5 font-bold" : ""}`}
    >
      <dt>{label}</dt>
      <dd className="figure">{value}</dd>
    </div>
  );
}
