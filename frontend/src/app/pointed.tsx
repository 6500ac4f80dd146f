import { createContext, type MouseEvent, type ReactNode, useContext, useEffect, useState } from "react";
import { clock, day, wall } from "../lib/dates";
import { say, sayWith } from "../lib/words";
import { useAsOf, useFarm } from "./farm";
import { isTyping } from "./shortcuts";

const DAY_S = 86400;
type Pointed = [number | null, (wallS: number | null) => void];
const PointedContext = createContext<Pointed>([null, () => {}]);

/**
 * The moment pointed at in any drawing with a time axis, as seconds of the farm's wall clock: the same in every
 * place of every block, until it is let go.
 */
export const usePointed = () => useContext(PointedContext);

export function PointedProvider({ children }: { children: ReactNode }) {
  const pointed = useState<number | null>(null);
  return <PointedContext.Provider value={pointed}>{children}</PointedContext.Provider>;
}

/** What is pointed at, with the way to see the farm as it was known then. */
export function PointedLine() {
  const farm = useFarm();
  const [pointed, point] = usePointed();
  const [asOf, setAsOf] = useAsOf();
  const nowS = wall(asOf ?? farm.now).getTime() / 1000;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "m" && !isTyping(event)) point(nowS);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [nowS, point]);
  if (pointed === null) return null;
  const at = new Date(pointed * 1000);
  const moment = at.toISOString().slice(0, 16);
  const past = moment < farm.now.slice(0, 16);
  return (
    <p role="status" className="no-print mb-2 flex flex-wrap items-baseline gap-x-4">
      <span>{sayWith`Pointing at ${(
        <b className="text-deep">
          {day(at)}, {clock(at)}
        </b>
      )} in every drawing`}</span>
      <Act does={() => point(pointed - DAY_S)} words={say`a day earlier`} />
      <Act does={() => point(pointed + DAY_S)} words={say`a day later`} />
      {past && asOf?.slice(0, 16) !== moment && (
        <Act does={() => setAsOf(moment)} words={say`see it as known then`} />
      )}
      <Act does={() => point(null)} words={say`let go`} />
    </p>
  );
}

function Act({ does, words }: { does: () => void; words: string }) {
  return (
    <button type="button" className="underline max-sm:min-h-11" onClick={does}>
      {words}
    </button>
  );
}

/** What a click in a drawing points at: its place along the drawing's width, in the drawing's own units. */
export function placeOf(event: MouseEvent<SVGSVGElement>, width: number): number {
  const box = event.currentTarget.getBoundingClientRect();
  return ((event.clientX - box.left) / box.width) * width;
}
