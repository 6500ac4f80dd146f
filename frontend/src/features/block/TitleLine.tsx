import { useNavigate } from "react-router";
import type { BlockContent } from "../../api/client";
import { useFarm, useKeepAsOf, useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { show } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { adviceText } from "../../ui/adviceText";
import { Button } from "../../ui/Button";

/** The block's name, what grows there, the advice and what can be done about it. */
export function TitleLine({
  content,
  log,
  order,
  seen,
}: {
  content: BlockContent;
  log: () => void;
  order: () => void;
  seen: () => void;
}) {
  const { advice } = content;
  const may = useMay();
  const farm = useFarm();
  const units = useUnits();
  const navigate = useNavigate();
  const keep = useKeepAsOf();
  const stage = advice.stage ? say`${advice.crop}, ${advice.stage} stage` : sayCode(advice.crop);
  const about = [stage, show(advice.area_ha, "area", units), sayCode(advice.system)]
    .filter(Boolean)
    .join(" · ");
  return (
    <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-2">
      <h1>{advice.name}</h1>
      <select
        aria-label={say`Go to another block`}
        className="no-print secondary max-w-40 rounded-sheet border border-rule bg-paper px-1 py-0.5"
        value=""
        onChange={(e) => navigate(keep(`/block/${e.target.value}`))}
      >
        <option value="">{say`another block`}</option>
        {farm.blocks.map((b) => (
          <option key={b.key} value={b.key}>
            {b.name}
          </option>
        ))}
      </select>
      <span className="secondary max-w-[34ch]">{about}</span>
      <span
        className={`ml-auto max-w-[32ch] text-[15.5px] leading-tight font-bold sm:text-right ${advice.group === "act" ? "text-clay" : ""}`}
      >
        {adviceText(advice, content.as_of, units)}
      </span>
      {may("sets") && (
        <Button kind={advice.group === "act" ? "act" : "plain"} onClick={log}>{say`Log a set`}</Button>
      )}
      {may("stages_seen") && <Button onClick={seen}>{say`Seen in the field`}</Button>}
      {may("orders") && <Button onClick={order}>{say`Postpone or override`}</Button>}
    </div>
  );
}
