import { show, type UnitSystem } from "../../lib/units";
import { say, sayCode } from "../../lib/words";

/** Lines of a water account, mm or m³ alike; ``below`` is null where no sensor tells it. */
export interface LinesOf<Value> {
  irrigation: Value;
  lost_on_way: Value;
  counted_rain: Value;
  use: Value;
  below: Value | null;
  store_change: Value;
}

interface AccountLinesProps<Value> {
  told: LinesOf<Value>;
  /** The number of a line, in the unit ``words`` takes. */
  number: (line: Value) => number;
  words: (value: number) => string;
  left: string;
}

/** What came in and went out, a line each with its sign, and what is not accounted for. */
export function AccountLines<Value>({ told, number, words, left }: AccountLinesProps<Value>) {
  const stored = number(told.store_change);
  const lines: [string, number][] = [
    [say`Lost on the way`, -number(told.lost_on_way)],
    [say`Rain that counted`, number(told.counted_rain)],
    [say`Crop use, by the probes`, -number(told.use)],
    ...(told.below ? ([[say`Below the roots`, -number(told.below)]] as [string, number][]) : []),
    [stored > 0 ? say`More in store than at first` : say`Less in store than at first`, -stored],
  ];
  return (
    <dl className="mt-2 grid grid-cols-[1fr_auto] gap-y-1">
      <dt>{say`Irrigation`}</dt>
      <dd className="figure text-right">{words(number(told.irrigation))}</dd>
      {lines.map(([label, value]) => (
        <div key={label} className="contents">
          <dt>{label}</dt>
          <dd className="figure text-right">
            {value >= 0 ? "+" : "−"} {words(Math.abs(value))}
          </dd>
        </div>
      ))}
      <dt className="border-t border-ink pt-1 font-bold">{say`Not accounted for`}</dt>
      <dd className="figure border-t border-ink pt-1 pl-3 text-right font-bold">{left}</dd>
    </dl>
  );
}

/** How the first day of a planting is told. */
export const begun = (begins: "leaf-out" | "planting") =>
  begins === "planting" ? say`planted` : sayCode(begins);

/** A volume with its thousands apart: a farm's has six figures. */
export const cubic = (m3: number, units: UnitSystem, unit = true) =>
  show(m3, "volume", units, unit).replace(/\d{4,}/, (digits) => Number(digits).toLocaleString("en"));
