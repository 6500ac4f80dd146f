import { useMutation, useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from "react";
import { api, type Farm, Refusal, type Schemas, unwrap } from "../api/client";
import { say } from "../lib/words";
import { queueable, recordQueue } from "./recordQueue";
import { usePerson } from "./session";
import { WAITS } from "./waitingQueue";

export type FarmDocument = Schemas["FarmDocument"];
type Lists = Omit<FarmDocument, "embalse">;

/** Stores a part of the farm document; everything shown is read again. */
export function useApply() {
  const client = useQueryClient();
  const entered = useEntered();
  return useMutation({
    mutationFn: async (lists: Lists): Promise<Schemas["ApplyOut"]> => {
      try {
        return unwrap(await api.POST("/api/farm", { body: { embalse: 1, ...lists } as FarmDocument }));
      } catch (error) {
        const entry = error instanceof TypeError ? queueable(lists) : undefined;
        if (!entry) throw error;
        recordQueue.put(entry);
        window.dispatchEvent(new Event(WAITS));
        return { created: {}, changed: {}, unchanged: {}, lines: null };
      }
    },
    onSuccess: (done, lists) => {
      if (!STEPPED.some((kind) => kind in lists)) entered(done);
      return client.invalidateQueries();
    },
  });
}

/** Entered step by step, and taken back by the same tap. */
const STEPPED = ["procedure_runs", "growth_days"];

export function errorsOf(error: unknown): { path: string; reason: string }[] {
  return error instanceof Refusal ? error.errors : [{ path: "", reason: String(error) }];
}

/** The moment a record is written: the held clock of a demonstration, else this device's clock. */
export function momentOf(farm: Farm): string {
  return farm.clock_held ? farm.now : new Date().toISOString().replace(/\.\d+Z$/, "Z");
}

/** A key that sorts by time and does not repeat. */
export function newKey(kind: string, farm: Farm): string {
  const part = momentOf(farm)
    .slice(0, 16)
    .replace(/[^0-9]/g, "");
  return `${kind}-${part}-${Math.random().toString(36).slice(2, 7)}`;
}

/** Who is writing, kept on this device. */
export function useWho(): [string, (who: string) => void] {
  const person = usePerson();
  const [who, setWho] = useState(() => localStorage.getItem("who") ?? person?.name ?? "");
  return [
    who,
    (next) => {
      localStorage.setItem("who", next);
      setWho(next);
    },
  ];
}

interface Deleted {
  kind: string;
  key: string;
  name: string;
}
type Back = { words: string; done: string; undo: () => Promise<unknown> };
interface Undoing {
  remove: (what: Deleted) => Promise<void>;
  entered: (done: { lines?: Schemas["LinesIn"] | null }) => void;
}
const UndoContext = createContext<Undoing>({ remove: async () => {}, entered: () => {} });
/** Deletes a record and keeps the way back open. */
export const useDelete = () => useContext(UndoContext).remove;
/** Offers the way back from what was just entered, where there is one. */
export const useEntered = () => useContext(UndoContext).entered;

const OFFERED_MS = 20_000; // long enough to read and reach it; it stays while it is pointed at or holds the focus

/** The way back from what was just entered or deleted. */
export function UndoProvider({ children }: { children: ReactNode }) {
  const client = useQueryClient();
  const [back, setBack] = useState<Back>();
  const [said, setSaid] = useState("");
  const [count, setCount] = useState(0); // each offer has its own twenty seconds
  const undoing = useMemo<Undoing>(
    () => ({
      remove: async (what) => {
        const params = { path: { kind: what.kind, key: what.key } };
        try {
          unwrap(await api.DELETE("/api/records/{kind}/{key}", { params }));
          setSaid("");
          setCount((before) => before + 1);
          setBack({
            words: say`${what.name} deleted.`,
            done: say`Brought back.`,
            undo: async () => unwrap(await api.POST("/api/records/{kind}/{key}/restore", { params })),
          });
        } catch (error) {
          setBack(undefined);
          setSaid(errorsOf(error)[0]?.reason ?? "");
        }
        await client.invalidateQueries();
      },
      entered: ({ lines }) => {
        setSaid("");
        setCount((before) => before + 1);
        setBack(
          lines
            ? {
                words: say`Saved.`,
                done: say`Taken back.`,
                undo: async () => unwrap(await api.POST("/api/farm/take-back", { body: lines })),
              }
            : undefined,
        );
      },
    }),
    [client],
  );
  const undo = async () => {
    try {
      await back?.undo();
      setSaid(back?.done ?? "");
    } catch (error) {
      setSaid(errorsOf(error)[0]?.reason ?? "");
    }
    setBack(undefined);
    await client.invalidateQueries();
  };
  const close = useCallback(() => {
    setBack(undefined);
    setSaid("");
  }, []);
  return (
    <UndoContext.Provider value={undoing}>
      {children}
      {(back || said) && (
        <Offered key={`${count} ${said}`} close={close}>
          <span>{said || back?.words}</span>
          {back && (
            <button
              type="button"
              className="font-bold underline max-sm:min-h-11"
              onClick={() => void undo()}
            >{say`Undo`}</button>
          )}
        </Offered>
      )}
    </UndoContext.Provider>
  );
}

/** A line at the foot of the page that goes by itself, not under a hand that reaches for it. */
function Offered({ children, close }: { children: ReactNode; close: () => void }) {
  const [held, setHeld] = useState(false);
  useEffect(() => {
    if (held) return;
    const timer = setTimeout(close, OFFERED_MS);
    return () => clearTimeout(timer);
  }, [held, close]);
  return (
    <section
      aria-label={say`Just now`}
      aria-live="polite"
      className="sheet no-print fixed bottom-4 left-1/2 z-20 flex -translate-x-1/2 items-center gap-4 border-ink px-4 py-2 whitespace-nowrap max-sm:bottom-20"
      onPointerEnter={() => setHeld(true)}
      onPointerLeave={() => setHeld(false)}
      onFocus={() => setHeld(true)}
      onBlur={() => setHeld(false)}
    >
      {children}
      <button type="button" className="underline max-sm:min-h-11" onClick={close}>{say`close`}</button>
    </section>
  );
}
