import { useMutation, useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useState } from "react";
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
  return useMutation({
    mutationFn: async (lists: Lists): Promise<Schemas["ApplyOut"]> => {
      try {
        return unwrap(await api.POST("/api/farm", { body: { embalse: 1, ...lists } as FarmDocument }));
      } catch (error) {
        const entry = error instanceof TypeError ? queueable(lists) : undefined;
        if (!entry) throw error;
        recordQueue.put(entry);
        window.dispatchEvent(new Event(WAITS));
        return { created: {}, changed: {}, unchanged: {} };
      }
    },
    onSuccess: () => client.invalidateQueries(),
  });
}

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
type Delete = (what: Deleted) => Promise<void>;
const DeleteContext = createContext<Delete>(async () => {});
export const useDelete = () => useContext(DeleteContext);

/** Deletes records and keeps the way back open. */
export function UndoProvider({ children }: { children: ReactNode }) {
  const client = useQueryClient();
  const [last, setLast] = useState<Deleted>();
  const [refused, setRefused] = useState("");
  const remove = useCallback<Delete>(
    async (what) => {
      try {
        unwrap(await api.DELETE("/api/records/{kind}/{key}", { params: { path: what } }));
        setLast(what);
        setRefused("");
      } catch (error) {
        setLast(undefined);
        setRefused(errorsOf(error)[0]?.reason ?? "");
      }
      await client.invalidateQueries();
    },
    [client],
  );
  const undo = async () => {
    if (!last) return;
    unwrap(await api.POST("/api/records/{kind}/{key}/restore", { params: { path: last } }));
    setLast(undefined);
    await client.invalidateQueries();
  };
  return (
    <DeleteContext.Provider value={remove}>
      {children}
      {(last || refused) && (
        <p
          role="status"
          className="sheet fixed bottom-4 left-1/2 z-20 flex -translate-x-1/2 gap-4 border-ink px-4 py-2"
        >
          <span>{refused || say`${last?.name} deleted.`}</span>
          {last && <button type="button" className="font-bold underline" onClick={undo}>{say`Undo`}</button>}
          <button
            type="button"
            className="underline"
            onClick={() => {
              setLast(undefined);
              setRefused("");
            }}
          >{say`close`}</button>
        </p>
      )}
    </DeleteContext.Provider>
  );
}
