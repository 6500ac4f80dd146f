import type { BlockContent, Schemas } from "../../api/client";
import { type QuantityName, quantity, show, type UnitSystem } from "../../lib/units";
import { say } from "../../lib/words";
import type { TableData } from "../../ui/TableView";

const at = (instant: number, offset: number) =>
  new Date((instant + offset) * 1000).toISOString().slice(0, 16).replace("T", " ");
const figure = (value: number | null | undefined, decimals: number) =>
  value === null || value === undefined ? null : Number(value.toFixed(decimals));

/** A table's heads and figures in the reader's units: "gain mm" or "gain in". */
function inUnits(units: UnitSystem) {
  const head = (words: string, name: QuantityName) => `${words} ${quantity(name, units).unit}`.trim();
  const of = (value: number | null | undefined, name: QuantityName, decimals: number) =>
    value === null || value === undefined
      ? null
      : figure(value * quantity(name, units).factor, units === "us" ? decimals + 2 : decimals);
  return { head, of };
}

/** Storage and every depth of a station over time, and the days ahead. */
export function tracesTable(
  content: BlockContent,
  station: Schemas["StationOut"],
  offset: number,
  units: UnitSystem,
): TableData {
  const { head, of } = inUnits(units);
  return {
    title: say`${content.advice.name}, ${station.name}: water over time`,
    columns: [
      say`time`,
      head("root zone", "depth"),
      head("10 %", "depth"),
      head("90 %", "depth"),
      ...station.traces.map((t) => head(show(t.depth_cm, "soilDepth", units), "waterContent")),
    ],
    rows: [
      ...content.times.map((time, i) => [
        at(time, offset),
        of(content.storage_mm[i], "depth", 1),
        null,
        null,
        ...station.traces.map((t) => figure(t.theta[i], 4)),
      ]),
      ...content.fan.map((f) => [
        say`${at(f.at, offset)} ahead`,
        of(f.mid_mm, "depth", 1),
        of(f.low_mm, "depth", 1),
        of(f.high_mm, "depth", 1),
        ...station.traces.map(() => null),
      ]),
    ],
  };
}

/** The trays with their marks, what is in them and what roots take. */
export function sectionTable(
  content: BlockContent,
  station: Schemas["StationOut"],
  profile: Schemas["StationProfileOut"] | undefined,
  units: UnitSystem,
): TableData {
  const { head, of } = inUnits(units);
  return {
    title: say`${content.advice.name}, ${station.name}: water by layer`,
    columns: [
      head("depth", "soilDepth"),
      head("from", "soilDepth"),
      head("to", "soilDepth"),
      head("water", "depth"),
      head("of", "depth"),
      "refill %",
      head("uptake", "use"),
      "uptake %",
    ],
    rows: station.layers.map((layer) => {
      const drinks = profile?.uptake.find((u) => u.depth_cm === layer.depth_cm);
      return [
        of(layer.depth_cm, "soilDepth", 0),
        of(layer.top_cm, "soilDepth", 0),
        of(layer.bottom_cm, "soilDepth", 0),
        of(layer.water_mm, "depth", 1),
        of(layer.capacity_mm, "depth", 1),
        figure(100 * layer.refill_share, 0),
        of(drinks?.mm_d, "use", 2),
        figure(drinks && 100 * drinks.share, 0),
      ];
    }),
  };
}

/** Every wetting with its arrivals. */
export function wettingsTable(
  found: Schemas["ProfileContent"],
  offset: number,
  units: UnitSystem,
): TableData {
  const { head, of } = inUnits(units);
  return {
    title: say`${found.name}: wettings`,
    columns: [
      say`start`,
      say`station`,
      head("gain", "depth"),
      head("reach", "soilDepth"),
      head(say`below roots`, "depth"),
      head("front", "front"),
      say`from`,
      say`arrivals`,
    ],
    rows: found.wettings.map((w) => [
      at(w.start_at, offset),
      w.station,
      of(w.gain_mm, "depth", 1),
      of(w.reach_cm, "soilDepth", 0),
      of(w.below_mm, "depth", 1),
      of(w.front_cm_h, "front", 1),
      w.from_what.map((f) => `${f.kind} ${show(f.depth_mm, "depth", units)}`).join(" + ") || w.suspect,
      w.arrivals
        .map(
          (a) =>
            `${show(a.depth_cm, "soilDepth", units)} ${at(a.at, offset).slice(5)} +${show(a.gain_mm, "depth", units)}`,
        )
        .join("; "),
    ]),
  };
}

/** The ledger of demand as it stands on the page. */
export function ledgerTable(found: Schemas["LedgerContent"], units: UnitSystem): TableData {
  const { head, of } = inUnits(units);
  return {
    title: say`${found.name}: demand`,
    columns: [
      say`day`,
      head("ETo", "depth"),
      say`how`,
      say`Kc`,
      head("ETc", "depth"),
      head("rain", "depth"),
      head("effective", "depth"),
      head("expected", "depth"),
      head("seen", "depth"),
    ],
    rows: found.days.map((d) => [
      d.day,
      of(d.eto_mm, "depth", 2),
      d.how,
      figure(d.kc, 2),
      of(d.etc_mm, "depth", 2),
      of(d.rain_mm, "depth", 1),
      of(d.effective_rain_mm, "depth", 1),
      of(d.expected_mm, "depth", 1),
      of(d.used_mm, "depth", 1),
    ]),
  };
}
