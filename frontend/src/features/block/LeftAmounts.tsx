import type { BlockAdvice } from "../../api/client";
import { useUnits } from "../../app/farm";
import { show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";

/** Water left in today's roots as two amounts: taken up readily, and from there on down to wilting. */
export function LeftAmounts({ advice }: { advice: BlockAdvice }) {
  const units = useUnits();
  const { readily_left_mm: readily, further_mm: further, root_depth_cm: depth } = advice;
  if (readily === null || readily === undefined || further === null || further === undefined || !depth)
    return null;
  return (
    <p className="mb-2">{sayWith`In today's ${show(depth, "soilDepth", units)} of roots: ${<b className="figure">{show(readily, "depth", units)}</b>} taken up readily, ${<b className="figure">{show(further, "depth", units)}</b>} more down to wilting${advice.wetted_fraction < 1 ? say`, in the wetted soil` : ""}.`}</p>
  );
}
