import type { BlockContent, Schemas } from "../../api/client";
import type { TableData } from "../../ui/TableView";

const at = (instant: number, offset: number) =>
  new Date((instant + offset) * 1000).toISOString().slice(0, 16).replace("T", " ");
const figure = (value: number | null | undefined, decimals: number) =>
  value === null || value === undefined ? null : Number(value.toFixed(decimals));

/** Storage and every depth of a station over time, and the days ahead. */
export function tracesTable(
  content: BlockContent,
  station: Schemas["StationOut"],
  offset: number,
): TableData {
  return {
    title: `${content.advice.name}, ${station.name}: water over time`,
    columns: [
      "time",
      "root zone mm",
      "10 % mm",
      "90 % mm",
      ...station.traces.map((t) => `${t.depth_cm} cm m3/m3`),
    ],
    rows: [
      ...content.times.map((time, i) => [
        at(time, offset),
        figure(content.storage_mm[i], 1),
        null,
        null,
        ...station.traces.map((t) => figure(t.theta[i], 4)),
      ]),
      ...content.fan.map((f) => [
        `${at(f.at, offset)} ahead`,
        figure(f.mid_mm, 1),
        figure(f.low_mm, 1),
        figure(f.high_mm, 1),
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
): TableData {
  return {
    title: `${content.advice.name}, ${station.name}: water by layer`,
    columns: ["depth cm", "from cm", "to cm", "water mm", "of mm", "refill %", "uptake mm/day", "uptake %"],
    rows: station.layers.map((layer) => {
      const drinks = profile?.uptake.find((u) => u.depth_cm === layer.depth_cm);
      return [
        layer.depth_cm,
        layer.top_cm,
        layer.bottom_cm,
        figure(layer.water_mm, 1),
        figure(layer.capacity_mm, 1),
        figure(100 * layer.refill_share, 0),
        figure(drinks?.mm_d, 2),
        figure(drinks && 100 * drinks.share, 0),
      ];
    }),
  };
}

/** Every wetting with its arrivals. */
export function wettingsTable(found: Schemas["ProfileContent"], offset: number): TableData {
  return {
    title: `${found.name}: wettings`,
    columns: ["start", "station", "gain mm", "reach cm", "below roots mm", "front cm/h", "from", "arrivals"],
    rows: found.wettings.map((w) => [
      at(w.start_at, offset),
      w.station,
      figure(w.gain_mm, 1),
      w.reach_cm,
      figure(w.below_mm, 1),
      figure(w.front_cm_h, 1),
      w.from_what.map((f) => `${f.kind} ${f.depth_mm.toFixed(0)} mm`).join(" + ") || w.suspect,
      w.arrivals
        .map((a) => `${a.depth_cm} cm ${at(a.at, offset).slice(5)} +${a.gain_mm.toFixed(1)}`)
        .join("; "),
    ]),
  };
}

/** The ledger of demand as it stands on the page. */
export function ledgerTable(found: Schemas["LedgerContent"]): TableData {
  return {
    title: `${found.name}: demand`,
    columns: ["day", "ETo mm", "how", "Kc", "ETc mm", "rain mm", "effective mm", "expected mm", "seen mm"],
    rows: found.days.map((d) => [
      d.day,
      figure(d.eto_mm, 2),
      d.how,
      figure(d.kc, 2),
      figure(d.etc_mm, 2),
      figure(d.rain_mm, 1),
      figure(d.effective_rain_mm, 1),
      figure(d.expected_mm, 1),
      figure(d.used_mm, 1),
    ]),
  };
}
