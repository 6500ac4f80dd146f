import { useUnits } from "../../app/farm";
import { show } from "../../lib/units";
import { useZones, type Zones } from "./queries";

interface ZonesPanelProps {
  blockKey: string;
  asOf: string | undefined;
}

/** Zones that lie apart for good: what each lacks, what to give, and what that saves; or why there is one amount. */
export function ZonesPanel({ blockKey, asOf }: ZonesPanelProps) {
  const found = useZones(blockKey, asOf);
  if (found.isPending) return <p className="secondary">Parting the block …</p>;
  if (found.isError) return <p>{found.error.message}</p>;
  return <Shown zones={found.data} query={asOf ? `?as_of=${encodeURIComponent(asOf)}` : ""} />;
}

function Shown({ zones, query }: { zones: Zones; query: string }) {
  const units = useUnits();
  return (
    <section aria-label="Zones" className="mt-4 max-w-[760px]">
      <h2 className="text-[17px] font-bold">What to give where</h2>
      {zones.why_not ? (
        <p>{zones.why_not}.</p>
      ) : (
        <>
          <table className="mt-1 w-full text-left">
            <thead className="secondary">
              <tr>
                {["zone", "area", "lies", "lacks", "give, gross"].map((h) => (
                  <th key={h} className="pr-3 font-normal">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {zones.zones.map((z) => (
                <tr key={z.number} className="border-t border-rule">
                  <th scope="row" className="figure py-1">
                    {z.number}
                  </th>
                  <td className="figure">{show(z.area_ha, "area", units)}</td>
                  <td>
                    {show(Math.abs(z.difference_mm), "depth", units)}{" "}
                    {z.difference_mm < 0 ? "drier" : "wetter"}
                  </td>
                  <td className="figure">
                    {show(z.lacks_mm, "depth", units, false)} ± {show(z.error_mm, "depth", units)}
                  </td>
                  <td className="figure font-bold">{show(z.gross_mm, "depth", units)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="mt-1">{zones.words}.</p>
          {zones.sectors.length > 0 && (
            <p className="mt-1">
              The pivot by the clock from north:{" "}
              {zones.sectors
                .map((s) => `${s.from_deg}° ${s.speed === null ? "–" : `${Math.round(100 * s.speed)} %`}`)
                .join(", ")}
              .
            </p>
          )}
          <p className="no-print mt-1 flex gap-4">
            <a className="underline" href={`/api/blocks/${zones.key}/zones.geojson${query}`}>
              Amounts as GeoJSON
            </a>
            <a className="underline" href={`/api/blocks/${zones.key}/zones.csv${query}`}>
              as CSV
            </a>
          </p>
        </>
      )}
    </section>
  );
}
