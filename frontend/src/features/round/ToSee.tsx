import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useKeepAsOf } from "../../app/farm";
import { say, sayCode } from "../../lib/words";

interface ToSeeProps {
  lines: Schemas["VisitLine"][];
  faults: Schemas["FollowUpOut"][];
  /** How many stand here; the others stand on the page of visits. */
  most?: number;
}

/** What to walk to, in this order: sets that went wrong, then sensors. */
export function ToSee({ lines, faults, most = 6 }: ToSeeProps) {
  const keep = useKeepAsOf();
  if (lines.length === 0 && faults.length === 0) return null;
  const left = Math.max(0, most - faults.length);
  return (
    <section aria-label={say`Visit`} className="mt-3">
      <h2 className="secondary font-bold">{say`Visit in this order`}</h2>
      <ol>
        {faults.map((one) => (
          <li key={one.key} className="border-t border-rule px-2 py-1 max-sm:py-2.5">
            <Link className="font-bold hover:underline" to={keep("/tonight")}>
              {one.name}
            </Link>{" "}
            <span className="secondary">
              {one.words} {sayCode(one.where)}
            </span>
          </li>
        ))}
        {lines.slice(0, left).map((line) => (
          <li
            key={`${line.station} ${line.sensor} ${line.why}`}
            className="border-t border-rule px-2 py-1 max-sm:py-2.5"
          >
            <Link className="font-bold hover:underline" to={placeOf(line)}>
              {line.name}
            </Link>{" "}
            <span className="secondary">{sayCode(line.why)}</span>
          </li>
        ))}
      </ol>
      {lines.length > left && (
        <Link
          className="secondary px-2 underline"
          to={keep("/visits")}
        >{say`and ${lines.length - left} more to visit`}</Link>
      )}
    </section>
  );
}

function placeOf({ station, sensor, by_hand }: Schemas["VisitLine"]): string {
  if (by_hand) return "/handheld";
  return sensor ? `/stations/${station}/sensor/${sensor.split("/")[2]}` : `/stations/${station}`;
}
