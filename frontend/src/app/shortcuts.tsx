import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { say } from "../lib/words";
import { useKeepAsOf } from "./farm";

const KEYS: [string, string][] = [
  ["g r", say`Round`],
  ["g b", say`Block`],
  ["g p", say`Plan`],
  ["g n", say`Tonight`],
  ["g t", say`Stations`],
  ["g e", say`Bench`],
  ["g i", say`Import`],
  ["g s", say`Set-up`],
  ["j  k", say`next, previous block`],
  ["Enter", say`open the chosen block`],
  ["s", say`log a set for the block`],
  ["h", say`postpone it, or override the advice`],
  ["/", say`find`],
  ["m", say`on a block: point at this moment in every drawing`],
  ["?", say`these keys and the signs`],
];
const GO: Record<string, string> = {
  r: "/",
  b: "/block",
  p: "/plan",
  n: "/tonight",
  t: "/stations",
  e: "/bench",
  i: "/import",
  s: "/setup",
};

/** Whether a key press belongs to a field and not to the page. */
export function isTyping(event: KeyboardEvent): boolean {
  const { target } = event;
  return (
    (target instanceof Element && target.closest("input, select, textarea, [contenteditable]") !== null) ||
    event.ctrlKey ||
    event.metaKey ||
    event.altKey
  );
}

export interface HelpState {
  open: boolean;
  close: () => void;
}

export function useShortcuts(): HelpState {
  const navigate = useNavigate();
  const keep = useKeepAsOf();
  const [open, setOpen] = useState(false);
  useEffect(() => {
    let going = false;
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "Escape") setOpen(false);
      if (isTyping(event)) return;
      if (going && GO[event.key]) navigate(keep(GO[event.key] ?? "/"));
      going = event.key === "g";
      if (event.key === "?") setOpen((before) => !before);
      if (event.key === "/") {
        const find = document.querySelector<HTMLInputElement>("[data-find]");
        if (find) {
          event.preventDefault();
          find.focus();
        }
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [navigate, keep]);
  return { open, close: () => setOpen(false) };
}

export function ShortcutHelp({ open, close }: HelpState) {
  if (!open) return null;
  return (
    <aside aria-label={say`Keys and signs`} className="sheet fixed right-6 bottom-6 z-20 w-80 p-4">
      <div className="flex justify-between">
        <h2 className="font-bold">{say`Keys`}</h2>
        <button type="button" className="underline" onClick={close}>{say`close`}</button>
      </div>
      <dl className="mt-2 grid grid-cols-[5rem_1fr] gap-y-1">
        {KEYS.map(([key, what]) => (
          <div key={key} className="contents">
            <dt className="figure">{key}</dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
      <h2 className="mt-3 font-bold">{say`Signs`}</h2>
      <p className="secondary mt-1">{say`A solid upright line is the full point, a dotted one with ▲ the refill point. A bar is the water there is; the slices at its end are the coming days. Dashed is where the water will be; an arrow is how far a wetting went. A pale tray lies below the roots. No bar: no advice.`}</p>
    </aside>
  );
}
