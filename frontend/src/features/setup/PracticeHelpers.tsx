import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, unwrap } from "../../api/client";
import { useUnits } from "../../app/farm";
import { errorsOf } from "../../app/records";
import { quantity, show, toServer } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";

/** Which rate of sprinkling fits this soil and slope, and how long a set then takes. */
export function Redesign({ blockKey }: { blockKey: string }) {
  const units = useUnits();
  const found = useQuery({
    queryKey: ["redesign", blockKey],
    retry: false,
    queryFn: async () =>
      unwrap(await api.GET("/api/blocks/{key}/redesign", { params: { path: { key: blockKey } } })),
  });
  if (found.isPending) return null;
  if (found.isError) return null;
  const data = found.data;
  return (
    <section aria-label={say`Rate and soil`} className="sheet mt-4 p-4">
      <h2 className="text-[17px] font-bold">{say`Rate and soil`}</h2>
      <p className="mt-1">{data.words}.</p>
      {!data.fits && data.outlet_l_h !== null && (
        <p>{sayWith`A sprinkler of ${<b className="figure">{show(data.outlet_l_h, "flow", units)}</b>} at the same spacing just fits. Check its pressure and throw with the maker's tables.`}</p>
      )}
      <p className="secondary">{say`Keller & Bliesner (1990), Table 5.4, or the intake you measured.`}</p>
    </section>
  );
}

const LEVELS = [say`low`, say`moderate`, say`high`];

/** Kc of beds and ornamentals from species, density and microclimate. */
export function LandscapeHelper({ use }: { use: (kc: number) => void }) {
  const [species, setSpecies] = useState("moderate");
  const [density, setDensity] = useState("moderate");
  const [microclimate, setMicroclimate] = useState("moderate");
  const work = useMutation({
    mutationFn: async () =>
      unwrap(
        await api.POST("/api/landscape", {
          body: { species, density, microclimate } as Schemas["LandscapeIn"],
        }),
      ),
  });
  const options = (names: string[]) => names.map((n) => ({ value: n, label: n }));
  return (
    <details className="mt-4 max-w-3xl">
      <summary className="cursor-pointer font-bold">{say`Beds, shrubs and ornamentals: Kc from three factors`}</summary>
      <div className="mt-2 grid gap-3 sm:grid-cols-3">
        <Choice
          label={say`Thirst of the species`}
          value={species}
          options={options([say`very low`, ...LEVELS])}
          change={setSpecies}
        />
        <Choice label={say`Density`} value={density} options={options(LEVELS)} change={setDensity} />
        <Choice
          label={say`Heat of the place`}
          value={microclimate}
          options={options(LEVELS)}
          change={setMicroclimate}
        />
      </div>
      <p className="mt-2 flex flex-wrap items-center gap-3">
        <Button onClick={() => work.mutate()}>{say`Work it out`}</Button>
        {work.data && (
          <>
            <span>{sayWith`Kc ${<b className="figure">{work.data.mid.toFixed(2)}</b>} (${work.data.low.toFixed(2)} to ${work.data.high.toFixed(2)})`}</span>
            <Button kind="ink" onClick={() => use(Number(work.data.mid.toFixed(2)))}>{say`Put it in`}</Button>
            <span className="secondary">{work.data.source}</span>
          </>
        )}
      </p>
    </details>
  );
}

const BASIN = [
  ["holds_m3", say`Holds`, "volume"],
  ["catchment_m2", say`Ground that drains into it`, "ground"],
  ["surface_m2", say`Open surface, 0 when covered`, "ground"],
  ["weekly_m3", say`Asked of it a week`, "volume"],
] as const;

/** What a basin of rain would have given by the weather on record. */
export function BasinHelper() {
  const units = useUnits();
  const [values, setValues] = useState<Record<string, string>>({ surface_m2: "0" });
  const [trouble, setTrouble] = useState("");
  const ground = units === "us" ? { unit: say`sq ft`, factor: 10.7639 } : { unit: "m²", factor: 1 };
  const work = useMutation({
    mutationFn: async () => {
      const body = Object.fromEntries(
        BASIN.map(([name, , kind]) => {
          const number = Number((values[name] ?? "").replace(",", "."));
          return [name, kind === "ground" ? number / ground.factor : toServer(number, kind, units)];
        }),
      );
      return unwrap(
        await api.POST("/api/rain-basin", { body: { ...body, runoff_fraction: 0.8 } as Schemas["BasinIn"] }),
      );
    },
    onError: (error) => setTrouble(errorsOf(error)[0]?.reason ?? ""),
    onSuccess: () => setTrouble(""),
  });
  return (
    <details className="mt-4">
      <summary className="cursor-pointer font-bold">{say`A basin that catches rain`}</summary>
      <div className="mt-2 grid gap-3 sm:grid-cols-2">
        {BASIN.map(([name, label, kind]) => (
          <Field
            key={name}
            label={`${label}, ${kind === "ground" ? ground.unit : quantity(kind, units).unit}`}
            inputMode="decimal"
            value={values[name] ?? ""}
            onChange={(e) => setValues({ ...values, [name]: e.target.value })}
          />
        ))}
      </div>
      <Button className="mt-2" onClick={() => work.mutate()}>{say`Try it on the weather of the past`}</Button>
      {trouble && <p className="font-bold text-clay">{trouble}</p>}
      {work.data && (
        <p className="mt-2">{say`${work.data.words}. Four fifths of the rain run off; the first millimetre of a day only wets the ground (common practice, no source). Open water needs a fence and a way out.`}</p>
      )}
    </details>
  );
}
