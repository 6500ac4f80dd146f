import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useEffect } from "react";
import { api, keepToken, onSignedOut, type Schemas, unwrap } from "../api/client";
import { keepLanguage } from "../lib/words";

export type Session = Schemas["SessionOut"];
export type Person = Schemas["PersonOut"];

const SessionContext = createContext<Session | null>(null);

/** Who is signed in; asked for once, and again when the server no longer knows. */
export function useSessionQuery() {
  const client = useQueryClient();
  useEffect(() => {
    onSignedOut(() => void client.invalidateQueries({ queryKey: ["session"] }));
    return () => onSignedOut(() => {});
  }, [client]);
  return useQuery({
    queryKey: ["session"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const session = unwrap(await api.GET("/api/session"));
      keepToken(session.csrf_token);
      return session;
    },
  });
}

/** Takes over a session the server has answered with; everything shown is read again. */
export function useTakeOver() {
  const client = useQueryClient();
  return useCallback(
    async (session: Session) => {
      keepToken(session.csrf_token);
      client.setQueryData(["session"], session);
      const others = {
        predicate: (query: { queryKey: readonly unknown[] }) => query.queryKey[0] !== "session",
      };
      if (session.person) await client.invalidateQueries(others);
      else client.removeQueries(others);
    },
    [client],
  );
}

export function SessionProvider({ session, children }: { session: Session; children: ReactNode }) {
  const language = session.person?.language;
  useEffect(() => {
    if (language && keepLanguage(language)) window.location.reload();
  }, [language]);
  return <SessionContext.Provider value={session}>{children}</SessionContext.Provider>;
}

export function usePerson(): Person | null {
  return useContext(SessionContext)?.person ?? null;
}

/** Whether a kind of change is this person's to make; the server has the last word. */
export function useMay(): (what: string) => boolean {
  const session = useContext(SessionContext);
  return (what) => session === null || session.may.includes(what);
}
