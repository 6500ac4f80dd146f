import { Link } from "react-router";
import type { BlockAdvice } from "../api/client";
import { useKeepAsOf } from "../app/farm";
import { say } from "../lib/words";

/** What a person can do about a missing answer, by the code of what is missing, and the page where they do it. */
const STEPS: Record<string, { words: string; to: (block: string) => string }> = {
  "too_shallow.sensors": {
    words: say`Enter how deep its roots are, or add a deeper sensor`,
    to: (block) => `/setup/${block}?tab=crop`,
  },
  "too_shallow.soil": { words: say`Describe its soil deeper`, to: (block) => `/setup/${block}?tab=soil` },
  "too_shallow.sensor": { words: say`Describe its soil deeper`, to: (block) => `/setup/${block}?tab=soil` },
  "no_advice.soil": { words: say`Describe its soil`, to: (block) => `/setup/${block}?tab=soil` },
  "no_advice.root_depth": { words: say`Enter its root depth`, to: (block) => `/setup/${block}?tab=crop` },
  "no_advice.allowable": {
    words: say`Enter how much of its water may be used`,
    to: (block) => `/setup/${block}?tab=crop`,
  },
  "no_advice.bare": { words: say`Enter what is planted here`, to: (block) => `/block/${block}/season` },
  "no_advice.station": { words: say`Put a station here`, to: (block) => `/stations/plan/${block}` },
  "no_weather.crop": { words: say`Enter its planting date`, to: (block) => `/setup/${block}?tab=crop` },
  "missing.not_calibrated": {
    words: say`Calibrate: three weighed samples a depth`,
    to: (block) => `/bench/plan/${block}`,
  },
  "missing.none_yet": { words: say`Bring in readings`, to: () => "/import" },
};

/** The first step known for something said, whatever it stands within. */
function stepOf(said: unknown): (typeof STEPS)[string] | undefined {
  if (Array.isArray(said)) return said.map(stepOf).find((one) => one !== undefined);
  if (said === null || typeof said !== "object") return undefined;
  const { code, values } = said as { code?: string; values?: Record<string, unknown> };
  return (code !== undefined ? STEPS[code] : undefined) ?? stepOf(Object.values(values ?? said));
}

/** The next step of a block without advice: what would help most, and the way there. */
export function NextStep({ block }: { block: BlockAdvice }) {
  const keep = useKeepAsOf();
  const step = block.group === "none" ? stepOf(block.reasons) : undefined;
  if (!step) return null;
  return (
    <p>
      <b>{say`Next:`}</b>{" "}
      <Link className="underline" to={keep(step.to(block.key))}>
        {step.words}
      </Link>
    </p>
  );
}
