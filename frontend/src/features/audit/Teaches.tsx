import type { BlockAudit } from "../../app/audits";
import { useMay } from "../../app/session";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { usePicking } from "./NextDose";

/** What the sets say of efficiency and wetted area, and what else could explain a miss. */
export function Teaches({ audit, past }: { audit: BlockAudit; past: boolean }) {
  const may = useMay();
  const { take, said, busy } = usePicking(audit.key);
  const { received, causes } = audit;
  const acts = may("set_choices") && !past;
  const differs = received?.differs ?? false;
  return (
    <section aria-label={say`What the sets teach`}>
      <h2 className="text-[15px] font-bold">{say`What the field says`}</h2>
      <p>{audit.received_words}</p>
      {received && differs && (
        <ul className="mt-2 grid gap-2">
          {received.efficiency && (
            <Offer
              words={say`Efficiency ${two(received.efficiency.value)} (${two(received.efficiency.low)} to ${two(received.efficiency.high)}), set-up says ${two(received.efficiency.set_up)}.`}
              label={say`Use ${two(received.efficiency.value)}`}
              take={acts ? () => take("efficiency") : undefined}
              busy={busy}
            />
          )}
          {received.wetted && (
            <Offer
              words={say`${received.efficiency ? say`Or wetted` : say`Wetted`} area ${percent(received.wetted.value)} (${percent(received.wetted.low)} to ${percent(received.wetted.high)}), set-up says ${percent(received.wetted.set_up)}.`}
              label={say`Use ${percent(received.wetted.value)}`}
              take={acts ? () => take("wetted") : undefined}
              busy={busy}
            />
          )}
        </ul>
      )}
      {audit.picked.length > 0 && acts && (
        <p className="mt-2 flex flex-wrap gap-x-4">
          {audit.picked.map((what) => (
            <Button
              key={what}
              kind="quiet"
              disabled={busy}
              onClick={() => take(what, true)}
            >{say`Go back to the ${what === "efficiency" ? say`efficiency` : "wetted area"} of set-up`}</Button>
          ))}
        </p>
      )}
      {said && (
        <p role="alert" className="mt-2 font-bold text-clay">
          {said}
        </p>
      )}
      {causes.length > 0 && (
        <>
          <h3 className="mt-3 font-bold">{say`What could explain it, in this order`}</h3>
          <ol className="ml-5 list-decimal">
            {causes.map((cause) => (
              <li key={cause.code}>{cause.words}</li>
            ))}
          </ol>
          <p className="secondary">{say`Change one of them at a time, so that no error is corrected twice.`}</p>
        </>
      )}
    </section>
  );
}

const two = (value: number) => value.toFixed(2);
const percent = (share: number) => `${Math.round(100 * share)} %`;

interface OfferProps {
  words: string;
  label: string;
  take: (() => void) | undefined;
  busy: boolean;
}

function Offer({ words, label, take, busy }: OfferProps) {
  return (
    <li className="flex flex-wrap items-baseline justify-between gap-2">
      <span>{words}</span>
      {take && (
        <Button disabled={busy} onClick={take}>
          {label}
        </Button>
      )}
    </li>
  );
}
