import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { inUnits } from "../../lib/units";

/** What the weeks say of how the block is watered, with evidence, usual remedies and a caution. */
export function Diagnoses({ found }: { found: Schemas["DiagnosisOut"][] }) {
  if (found.length === 0) return null;
  return (
    <section aria-label="What the weeks say" className="mt-3">
      {found.map((one) => (
        <One key={one.kind} one={one} />
      ))}
    </section>
  );
}

function One({ one }: { one: Schemas["DiagnosisOut"] }) {
  const units = useUnits();
  const [open, setOpen] = useState(false);
  return (
    <div className="mb-2 border-t border-rule pt-1.5">
      <p>
        <b>{one.kind[0]?.toUpperCase() + one.kind.slice(1)}.</b> {inUnits(one.words, units)}
      </p>
      <p className="secondary">{inUnits(one.evidence.join("; "), units)}.</p>
      {one.remedies.length > 0 && (
        <button
          type="button"
          className="secondary underline"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          what is usually done
        </button>
      )}
      {open && (
        <div className="secondary border-l-2 border-deep pl-2">
          <ul>
            {one.remedies.map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
          {one.caution && (
            <p className="mt-1">
              <b className="text-ink">Mind:</b> {one.caution}.
            </p>
          )}
        </div>
      )}
    </div>
  );
}
