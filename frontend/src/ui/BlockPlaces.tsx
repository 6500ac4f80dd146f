import { NavLink } from "react-router";
import { PointedLine } from "../app/pointed";
import { say } from "../lib/words";

interface BlockPlacesProps {
  /** Address of a path with what else stands in the address now, like the moment looked at. */
  to: (path: string) => string;
  blockKey: string;
}

const PLACES = [
  ["", say`Today`],
  ["/audit", say`Audit`],
  ["/marks", say`Marks`],
  ["/tension", say`Tension`],
  ["/growth", say`Growth`],
  ["/map", say`Map`],
  ["/season", say`Season`],
] as const;

/** The places of a block, one row under its name. */
export function BlockPlaces({ to, blockKey }: BlockPlacesProps) {
  return (
    <>
      <nav
        aria-label={say`Places of the block`}
        className="no-print mb-3 flex flex-wrap gap-x-6 border-b border-rule"
      >
        {PLACES.map(([path, title]) => (
          <NavLink
            key={title}
            end
            to={to(`/block/${blockKey}${path}`)}
            className={({ isActive }) =>
              `border-b-[3px] py-1.5 ${isActive ? "border-ink font-bold" : "border-transparent hover:underline"}`
            }
          >
            {title}
          </NavLink>
        ))}
      </nav>
      <PointedLine />
    </>
  );
}
