import { Link } from "react-router";
import { useKeepAsOf, useUnits } from "../../app/farm";
import { dayMonth, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Wide } from "../../ui/Wide";
import { useMarks } from "../marks/queries";
import { useWetness } from "./queries";

interface Props {
  blockKey: string;
  asOf: string | undefined;
}

/** What the field suggests and where to go for it, else what would narrow the date; nothing is changed from here. */
export function FieldSays({ blockKey, asOf, narrows }: Props & { narrows: string }) {
  const keep = useKeepAsOf();
  const marks = useMarks(blockKey, asOf); // slower than the page, so it comes after it
  const offers = (marks.data?.offers ?? []).filter((o) => o.picks.length > 0);
  if (marks.isPending) return null;
  if (offers.length === 0)
    return narrows ? (
      <p>
        <b>{say`To narrow the date:`}</b> {narrows}.
      </p>
    ) : null;
  return (
    <section aria-label={say`About this block`} className="mb-2">
      {offers.map((offer) => (
        <p key={offer.words}>
          <b>{say`Offer:`}</b> {offer.words}.{" "}
          <Link className="underline" to={keep(`/block/${blockKey}/marks`)}>{say`see the evidence`}</Link>
        </p>
      ))}
    </section>
  );
}

/** A block that is not calibrated: words and a trend, never mm, and the samples that would make it water. */
export function IndexMode({ blockKey, asOf }: Props) {
  const units = useUnits();
  const wetness = useWetness(blockKey, asOf);
  const found = wetness.data;
  if (!found || found.sensors.length === 0) return null;
  return (
    <section aria-label={say`Index`} className="sheet mb-4 p-4">
      <p>{found.words}</p>
      <Wide label={say`Sensors`}>
        <table className="mt-2 w-full text-left text-[14px]">
          <thead>
            <tr>
              {[
                say`station`,
                say`depth`,
                say`reads`,
                say`index`,
                "",
                say`trend`,
                say`samples that would tell most`,
              ].map((h, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: the columns never move
                <th key={i} scope="col" className="border-b border-ink font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {found.sensors.map((s) => (
              <tr key={s.sensor} className="border-b border-rule align-middle">
                <td className="pr-2">{s.station}</td>
                <th scope="row" className="pr-2 text-left">
                  {show(s.depth_cm, "soilDepth", units)}
                </th>
                <td className="figure pr-2">{s.latest_raw ?? "–"}</td>
                <td className="pr-2">
                  {s.index === null || s.index === undefined ? (
                    "–"
                  ) : (
                    <>
                      <span className="figure">{s.index.toFixed(2)}</span> <b>{sayCode(s.word)}</b>
                    </>
                  )}
                </td>
                <td className="pr-2">
                  <Spark days={s.days} />
                </td>
                <td className="pr-2">{s.trend || s.points_from}</td>
                <td className="text-[13px]">
                  {s.samples.length === 0
                    ? say`not enough readings yet to say`
                    : s.samples.map((w) => `${sayCode(w.level)}: ${w.when}`).join("; ")}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Wide>
      <p className="mt-2">
        <Link className="underline" to={`/bench/plan/${blockKey}`}>{say`Sampling plan and lab sheet`}</Link> ·{" "}
        <Link className="underline" to="/bench?tab=calibration">{say`sample sheets`}</Link>
      </p>
    </section>
  );
}

/** A week of an index, between air (bottom) and water (top). */
function Spark({ days }: { days: { day: string; index: number }[] }) {
  if (days.length < 2) return null;
  const x = (i: number) => 2 + (i / (days.length - 1)) * 76;
  const points = days.map(
    (d, i) => `${x(i).toFixed(1)},${(22 - 20 * Math.min(1, Math.max(0, d.index))).toFixed(1)}`,
  );
  const first = days[0]?.day ?? "";
  return (
    <svg
      viewBox="0 0 80 24"
      className="h-6 w-20"
      role="img"
      aria-label={say`index since ${dayMonth(wall(`${first}T00:00`))}`}
    >
      <line x1={2} x2={78} y1={22} y2={22} className="stroke-rule" />
      <line x1={2} x2={78} y1={2} y2={2} className="stroke-rule" />
      <polyline points={points.join(" ")} fill="none" className="stroke-deep" strokeWidth={1.6} />
    </svg>
  );
}
