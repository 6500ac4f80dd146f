import { useState } from "react";
import { api, unwrap } from "../../api/client";
import { useFarm } from "../../app/farm";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";

/** A file of invented readings for the farm's own sensors, for who has none at hand yet. */
export function TrySample({ choose }: { choose: (file: File) => void }) {
  const { blocks } = useFarm();
  const [key, setKey] = useState(blocks[0]?.key ?? "");
  const [refused, setRefused] = useState("");
  const make = async () => {
    try {
      const text = unwrap(
        await api.GET("/api/blocks/{key}/sample.csv", { params: { path: { key } }, parseAs: "text" }),
      );
      choose(new File([String(text)], `sample-${key}.csv`, { type: "text/csv" }));
    } catch (error) {
      setRefused(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <section aria-label={say`No file at hand`} className="mt-5 max-w-3xl">
      <h2 className="text-[17px] font-bold">{say`No file at hand yet?`}</h2>
      <p className="secondary">{say`Embalse makes one for your own sensors: three weeks of invented readings, to see how a file is read and what the Round says. Every page says so for as long as they are in, and one click takes them out.`}</p>
      <p className="mt-2 flex flex-wrap items-center gap-3">
        {blocks.length > 1 && (
          <select
            aria-label={say`Block`}
            className="sheet px-2 py-1"
            value={key}
            onChange={(e) => setKey(e.target.value)}
          >
            {blocks.map((b) => (
              <option key={b.key} value={b.key}>
                {b.name}
              </option>
            ))}
          </select>
        )}
        <Button onClick={() => void make()}>{say`Try with invented readings`}</Button>
      </p>
      {refused && (
        <p role="alert" className="mt-1 font-bold text-clay">
          {refused}
        </p>
      )}
    </section>
  );
}
