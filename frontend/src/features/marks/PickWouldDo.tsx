import { useQuery } from "@tanstack/react-query";
import { api, type BlockAdvice, unwrap } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import { refillText, setText } from "../../ui/adviceText";
import type { Pick } from "./queries";

interface Props {
  block: string;
  picks: Pick[];
  stage: string;
}

/** What a pick would do, before it is made: where water is due, the date and the set, now and then. */
export function PickWouldDo({ block, picks, stage }: Props) {
  const asked = picks.every((p) => Number.isFinite(p.value) && p.value > 0);
  const body = {
    picks: picks.map(({ mark, how, value, top_cm, bottom_cm }) => ({
      mark,
      how,
      value,
      top_cm: top_cm ?? null,
      bottom_cm: bottom_cm ?? null,
      stage: stage as "" | "mid",
    })),
  };
  const found = useQuery({
    queryKey: ["pick", block, body],
    enabled: asked,
    retry: false,
    queryFn: async () =>
      unwrap(await api.POST("/api/blocks/{key}/marks/preview", { params: { path: { key: block } }, body })),
  });
  if (!asked) return null;
  if (found.isPending) return <p className="secondary">{say`Working out what it would do …`}</p>;
  if (found.isError) return <p className="font-bold text-clay">{found.error.message}</p>;
  return (
    <table className="w-full text-left text-[14px]" aria-label={say`What it would do`}>
      <thead>
        <tr className="secondary">
          <th scope="col" className="font-normal">{say`what it would do`}</th>
          <th scope="col" className="font-normal">{say`water is due at`}</th>
          <th scope="col" className="font-normal">{say`refill`}</th>
          <th scope="col" className="font-normal">{say`set`}</th>
        </tr>
      </thead>
      <tbody>
        <Line words={say`now`} advice={found.data.before} />
        <Line words={say`with it`} advice={found.data.after} strong />
      </tbody>
    </table>
  );
}

function Line({ words, advice, strong = false }: { words: string; advice: BlockAdvice; strong?: boolean }) {
  const units = useUnits();
  const farm = useFarm();
  const { word } = refillText(advice, farm.now);
  return (
    <tr className={`border-t border-rule ${strong ? "font-bold" : ""}`}>
      <th scope="row" className="py-1 font-normal">
        {words}
      </th>
      <td className="figure">{advice.trigger_mm === null ? "–" : show(advice.trigger_mm, "depth", units)}</td>
      <td>{word || "–"}</td>
      <td>{setText(advice, units) || "–"}</td>
    </tr>
  );
}
