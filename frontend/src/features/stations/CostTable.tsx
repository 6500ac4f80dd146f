import type { Schemas } from "../../api/client";
import { say, sayCode } from "../../lib/words";

const COLUMNS = [
  ["buy", say`buy`],
  ["install", say`put in`],
  ["yearly_fee", say`fee a year`],
  ["install_min", say`min to put in`],
  ["visit_min", say`min a visit`],
] as const;

interface CostProps {
  content: Schemas["InstrumentContent"];
  costs: Record<string, Record<string, number>>;
  change: (costs: Record<string, Record<string, number>>) => void;
}

/** What instruments cost: examples of the table until the farm's own quotes stand there. */
export function CostTable({ content, costs, change }: CostProps) {
  const set = (kind: string, name: string, text: string) => {
    const value = Number(text.replace(",", "."));
    if (text.trim() === "" || !Number.isFinite(value)) return;
    change({ ...costs, [kind]: { ...costs[kind], [name]: value } });
  };
  return (
    <div className="relative overflow-x-auto">
      <table className="mt-3 w-full text-left">
        <thead className="secondary">
          <tr>
            <th className="font-normal">{say`instrument`}</th>
            {COLUMNS.map(([name, label]) => (
              <th key={name} className="font-normal">
                {label}
              </th>
            ))}
            <th className="font-normal">{say`where from`}</th>
          </tr>
        </thead>
        <tbody>
          {content.costs.map((c) => (
            <tr key={c.kind} className="border-t border-rule">
              <td className="py-1 pr-3">{sayCode(c.kind)}</td>
              {COLUMNS.map(([name, label]) => (
                <td key={name} className="pr-2">
                  <input
                    aria-label={`${sayCode(c.kind)}: ${label}`}
                    inputMode="decimal"
                    className="figure w-16 rounded-sheet border border-rule bg-panel px-1.5 py-1"
                    defaultValue={c[name]}
                    onChange={(e) => set(c.kind, name, e.target.value)}
                  />
                </td>
              ))}
              <td className="secondary">{c.source}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
