import { useState } from "react";
import { Link, NavLink, useLocation } from "react-router";
import type { Farm } from "../api/client";
import { say } from "../lib/words";
import { Sheet } from "../ui/Sheet";
import { Advance } from "./Advance";
import { useKeepAsOf } from "./farm";
import { PAGES } from "./pages";
import { useMay, usePerson } from "./session";

const PLACES = [
  { to: "/", label: say`Round` },
  { to: "/tonight", label: say`Tonight` },
  { to: "/handheld", label: say`Read` },
  { to: "/visits", label: say`Visits` },
] as const;
const OTHERS = [
  { to: "/audit", label: say`Audit` },
  { to: "/map", label: say`Map` },
  { to: "/messages", label: say`Messages` },
] as const;
const STORIES = { to: "/stories", label: say`What is here` };

/** On a phone: the places a field hand goes, within the thumb's reach, and all others behind the last. */
export function PhoneBar({ farm }: { farm: Farm }) {
  const keep = useKeepAsOf();
  const [open, setOpen] = useState(false);
  const { pathname } = useLocation();
  const place = "flex min-h-14 items-center justify-center border-t-[3px] text-[15px]";
  const elsewhere = !PLACES.some(({ to }) => (to === "/" ? pathname === "/" : pathname.startsWith(to)));
  return (
    <nav
      aria-label={say`Places in the field`}
      className="no-print fixed inset-x-0 bottom-0 z-20 grid grid-cols-5 border-t border-ink bg-panel pb-[env(safe-area-inset-bottom)] sm:hidden"
    >
      {PLACES.map(({ to, label }) => (
        <NavLink
          key={to}
          to={keep(to)}
          end={to === "/"}
          className={({ isActive }) => `${place} ${isActive ? "border-ink font-bold" : "border-transparent"}`}
        >
          {label}
        </NavLink>
      ))}
      <button
        type="button"
        aria-expanded={open}
        className={`${place} ${elsewhere ? "border-ink font-bold" : "border-transparent"}`}
        onClick={() => setOpen(true)}
      >{say`More`}</button>
      {open && <More farm={farm} close={() => setOpen(false)} />}
    </nav>
  );
}

function More({ farm, close }: { farm: Farm; close: () => void }) {
  const keep = useKeepAsOf();
  const person = usePerson();
  const may = useMay();
  const shown = PAGES.filter(({ to }) => !PLACES.some((p) => p.to === to));
  return (
    <Sheet title={farm.name} close={close} width="max-w-md">
      <ul className="mt-2 grid grid-cols-2 gap-x-4">
        {[...shown, ...OTHERS, ...(farm.clock_held ? [STORIES] : [])].map(({ to, label }) => (
          <li key={to}>
            <Link
              to={keep(to)}
              onClick={close}
              className="flex min-h-12 items-center border-b border-rule text-[17px]"
            >
              {label}
            </Link>
          </li>
        ))}
        {person && (
          <li>
            <Link
              to="/people"
              onClick={close}
              className="flex min-h-12 items-center border-b border-rule text-[17px]"
            >
              {person.name}
            </Link>
          </li>
        )}
      </ul>
      {farm.clock_held && may("clock") && (
        <p className="mt-4 text-ink-2">
          <Advance />
        </p>
      )}
      <button
        type="button"
        className="mt-4 min-h-12 rounded-sheet border border-ink"
        onClick={close}
      >{say`Close`}</button>
    </Sheet>
  );
}
