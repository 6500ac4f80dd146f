import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Farm, unwrap } from "../api/client";
import { say, sayWith } from "../lib/words";
import { useMay } from "./session";

/** Invented readings that are in, on every page, with the way to be rid of them. */
export function Samples({ farm }: { farm: Farm }) {
  const client = useQueryClient();
  const may = useMay();
  const out = useMutation({
    mutationFn: async () => {
      for (const { id } of farm.samples) {
        unwrap(await api.DELETE("/api/imports/{id}", { params: { path: { id } } }));
      }
    },
    onSettled: () => client.invalidateQueries(),
  });
  if (farm.samples.length === 0) return null;
  return (
    <div role="alert" className="flex flex-wrap items-baseline gap-x-4 border-y border-clay py-1">
      <p>{sayWith`${<b className="text-clay">{say`Invented readings are in`}</b>} (${farm.samples.map((one) => one.file_name).join(", ")}), to try things with. Do not water by them.`}</p>
      {may("files") && (
        <button
          type="button"
          className="font-bold underline max-sm:min-h-11"
          disabled={out.isPending}
          onClick={() => out.mutate()}
        >{say`Take them out`}</button>
      )}
      {out.isError && <p className="font-bold text-clay">{out.error.message}</p>}
    </div>
  );
}
