import { lazy, Suspense } from "react";
import { Link, NavLink, Outlet, useLocation } from "react-router";
import type { Farm } from "../api/client";
import { clock, day, wall } from "../lib/dates";
import { say, sayWith } from "../lib/words";
import { Advance } from "./Advance";
import { FarmProvider, useAsOf, useFarmQuery, useKeepAsOf } from "./farm";
import { NoSignal } from "./NoSignal";
import { PhoneBar } from "./PhoneBar";
import { PAGES } from "./pages";
import { PointedProvider } from "./pointed";
import { UndoProvider } from "./records";
import { Samples } from "./Samples";
import { SeasonRibbon } from "./SeasonRibbon";
import { SessionProvider, useMay, usePerson, useSessionQuery } from "./session";
import { ShortcutHelp, useShortcuts } from "./shortcuts";

/** Pages that can be seen as of a past morning. */
const hasPast = (path: string) =>
  path.startsWith("/block") ||
  ["/", "/audit", "/seasons", "/plan", "/tonight", "/map", "/visits"].includes(path);

const Door = lazy(async () => ({ default: (await import("../features/people/Door")).Door }));

/** The farm for whoever is signed in, the door for everybody else. */
export function Shell() {
  const session = useSessionQuery();
  const { pathname } = useLocation();
  if (session.isPending) return <p className="secondary p-6">{say`Opening …`}</p>;
  if (session.isError) return <p className="p-6">{session.error.message}</p>;
  if (!session.data.person || pathname === "/invitation")
    return (
      <Suspense fallback={<p className="secondary p-6">{say`Opening …`}</p>}>
        <Door session={session.data} />
      </Suspense>
    );
  return (
    <SessionProvider session={session.data}>
      <Farmyard />
    </SessionProvider>
  );
}

function Farmyard() {
  const farm = useFarmQuery();
  const help = useShortcuts();
  const { pathname } = useLocation();
  if (farm.isPending) return <p className="secondary p-6">{say`Opening …`}</p>;
  if (farm.isError) return <p className="p-6">{farm.error.message}</p>;
  return (
    <FarmProvider farm={farm.data}>
      <div className="mx-auto max-w-[1360px] px-4 pb-10 max-sm:pb-24 sm:px-6">
        <Header farm={farm.data} />
        <Troubles farm={farm.data} />
        <Samples farm={farm.data} />
        <NoSignal />
        {farm.data.set_up && farm.data.sensors > 0 && hasPast(pathname) && <SeasonRibbon />}
        <UndoProvider>
          <PointedProvider>
            <main id="main">
              <Outlet />
            </main>
          </PointedProvider>
        </UndoProvider>
        <ShortcutHelp {...help} />
        {farm.data.set_up && <PhoneBar farm={farm.data} />}
      </div>
    </FarmProvider>
  );
}

/** What the server cannot do now, so that nobody finds out from a missing copy. */
function Troubles({ farm }: { farm: Farm }) {
  if (!farm.troubles?.length) return null;
  const stamp = (iso: string) => `${day(wall(iso))}, ${clock(wall(iso))}`;
  return (
    <ul role="alert" className="border-y border-clay py-1 text-clay">
      {farm.troubles.map((one) => (
        <li
          key={one.what}
        >{sayWith`${<b>{say`Not working since ${stamp(one.since)}:`}</b>} ${one.what}. Reason: ${one.why}. It is tried again by itself.`}</li>
      ))}
    </ul>
  );
}

function Header({ farm }: { farm: Farm }) {
  const keep = useKeepAsOf();
  return (
    <header className="flex items-center gap-x-5 pt-2 pb-1 max-sm:gap-x-3 sm:flex-wrap min-[1180px]:flex-nowrap">
      <a href="#main" className="sr-only focus:not-sr-only">{say`Skip to the page`}</a>
      <span className="text-[22px] font-bold max-sm:text-[18px]">Embalse</span>
      <nav
        aria-label={say`Pages`}
        className="flex flex-wrap gap-x-4 whitespace-nowrap max-sm:hidden min-[1180px]:flex-nowrap"
      >
        {PAGES.map(({ to, label }) => (
          <NavLink
            key={to}
            to={keep(to)}
            end={to === "/"}
            className={({ isActive }) =>
              `border-b-[3px] py-1.5 ${isActive ? "border-ink font-bold" : "border-transparent text-ink-2 hover:border-rule"}`
            }
          >
            {label}
          </NavLink>
        ))}
      </nav>
      {farm.set_up ? (
        <Moment farm={farm} />
      ) : (
        <div className="text-ink-2 sm:ml-auto">
          <Whoever />
        </div>
      )}
    </header>
  );
}

function Moment({ farm }: { farm: Farm }) {
  const [asOf, setAsOf] = useAsOf();
  const may = useMay();
  const at = wall(asOf ?? farm.now);
  return (
    <div className="ml-auto flex min-w-0 items-center gap-x-4 whitespace-nowrap text-ink-2 max-[1180px]:flex-wrap max-[1180px]:justify-end">
      <span className="min-w-0 truncate max-[1180px]:hidden">{farm.name}</span>
      <span className="max-sm:hidden">
        <Whoever />
      </span>
      <span>
        <b className="text-ink">
          {day(at)}, {clock(at)}
        </b>{" "}
        {asOf ? (
          say`as known then`
        ) : farm.clock_held ? (
          <Link to="/stories" className="no-print underline max-sm:hidden">{say`what is here`}</Link>
        ) : (
          ""
        )}
      </span>
      {farm.clock_held && !asOf && may("clock") && (
        <span className="no-print max-sm:hidden">
          <Advance />
        </span>
      )}
      {asOf && (
        <button
          type="button"
          className="rounded-sheet border border-ink px-3 py-1 text-ink max-sm:min-h-11"
          onClick={() => setAsOf(undefined)}
        >{say`Back to now`}</button>
      )}
    </div>
  );
}

/** Who is signed in, and the way to one's account; the demonstration says that it did so by itself. */
function Whoever() {
  const person = usePerson();
  if (!person) return null;
  return (
    <span>
      <Link
        to="/people"
        className="underline"
        title={
          person.by_itself ? say`${person.role}; the demo signs its manager in automatically` : person.role
        }
      >
        {person.name}
      </Link>
    </span>
  );
}
