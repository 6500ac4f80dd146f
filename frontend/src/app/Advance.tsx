import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import { say } from "../lib/words";

const SPANS = [
  { hours: 1, label: "1 h" },
  { hours: 24, label: say`1 day` },
  { hours: 168, label: say`1 week` },
] as const;

/** Moves the demonstration forward; its simulated loggers send what they saw meanwhile. */
export function Advance() {
  const client = useQueryClient();
  const advance = useMutation({
    mutationFn: async (hours: 1 | 24 | 168) =>
      unwrap(await api.POST("/api/demo/advance", { body: { hours } })),
    onSuccess: () => client.invalidateQueries(),
  });
  if (advance.isPending) return <span role="status">{say`Advancing … a few seconds`}</span>;
  return (
    <fieldset className="flex items-baseline gap-2 max-sm:hidden" aria-label={say`Advance the demonstration`}>
      <span>{say`advance`}</span>
      {SPANS.map(({ hours, label }) => (
        <button
          key={hours}
          type="button"
          className="rounded-sheet border border-ink px-2 py-0.5 text-ink"
          onClick={() => advance.mutate(hours)}
        >
          {label}
        </button>
      ))}
      {advance.isError && <span role="alert">{advance.error.message}</span>}
    </fieldset>
  );
}
