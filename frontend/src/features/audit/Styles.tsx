import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { show } from "../../lib/units";
import { say } from "../../lib/words";

type Style = Schemas["StyleOut"];

/** Shorter sets beside longer ones, by the same amount of water. */
export function Styles({ styles }: { styles: Schemas["StylesOut"] }) {
  const units = useUnits();
  const { shorter, longer } = styles;
  return (
    <section aria-label={say`Shorter or longer sets`} className="mt-5">
      <h2 className="text-[15px] font-bold">{say`Shorter and more often, or longer and rarer`}</h2>
      <p className="secondary">
        {styles.words}
        {shorter && say` What ${show(100, "depth", units)} over the block costs either way:`}
      </p>
      {shorter && longer && <Table short={shorter} long={longer} />}
    </section>
  );
}

function Table({ short, long }: { short: Style; long: Style }) {
  const units = useUnits();
  const mm = (value: number | null) => (value === null ? "–" : show(value, "depth", units));
  const rows: [string, (s: Style) => string][] = [
    [say`Below the roots`, (s) => mm(s.below_mm)],
    [say`Evaporated from the wet surface, about`, (s) => mm(s.surface_mm)],
    [say`Middle reach`, (s) => (s.reach_cm === null ? "–" : show(s.reach_cm, "soilDepth", units))],
    [say`Starts`, (s) => s.starts.toFixed(1)],
    [say`Hours of somebody's work`, (s) => (s.work_h > 0 ? `${s.work_h.toFixed(1)} h` : "–")],
    [say`Short of water before a set`, (s) => (s.short_h === null ? "–" : `${Math.round(s.short_h)} h`)],
  ];
  return (
    <table className="mt-1 w-full max-w-xl">
      <thead className="secondary text-left">
        <tr>
          <th className="font-normal">{say`by ${show(100, "depth", units)}`}</th>
          <th className="font-normal">{say`sets of ${mm(short.net_mm)}`}</th>
          <th className="font-normal">{say`sets of ${mm(long.net_mm)}`}</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([label, value]) => (
          <tr key={label} className="border-t border-rule">
            <td className="py-0.5">{label}</td>
            <td className="figure">{value(short)}</td>
            <td className="figure">{value(long)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
