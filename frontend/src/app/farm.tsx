import { useQuery } from "@tanstack/react-query";
import { createContext, type ReactNode, useContext } from "react";
import { useSearchParams } from "react-router";
import { api, type Farm, unwrap } from "../api/client";
import type { UnitSystem } from "../lib/units";

const FarmContext = createContext<Farm | null>(null);

export function useFarmQuery() {
  return useQuery({ queryKey: ["farm"], queryFn: async () => unwrap(await api.GET("/api/farm")) });
}

export function FarmProvider({ farm, children }: { farm: Farm; children: ReactNode }) {
  return <FarmContext.Provider value={farm}>{children}</FarmContext.Provider>;
}

export function useFarm(): Farm {
  const farm = useContext(FarmContext);
  if (!farm) throw new Error("useFarm outside the shell");
  return farm;
}

export function useUnits(): UnitSystem {
  return useContext(FarmContext)?.units ?? "metric";
}

/** The past moment the pages are read for, from the address; undefined means now. */
export function useAsOf(): [string | undefined, (moment: string | undefined) => void] {
  const [params, setParams] = useSearchParams();
  const setAsOf = (moment: string | undefined) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (moment) next.set("as_of", moment);
        else next.delete("as_of");
        return next;
      },
      { replace: true },
    );
  return [params.get("as_of") ?? undefined, setAsOf];
}

/** Keeps the past moment when going to another page. */
export function useKeepAsOf(): (to: string) => string {
  const [asOf] = useAsOf();
  return (to) => (asOf ? `${to}${to.includes("?") ? "&" : "?"}as_of=${encodeURIComponent(asOf)}` : to);
}
