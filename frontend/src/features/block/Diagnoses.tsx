import { useState } from "react";
import type { Schemas } from "../../api/client";
import { capital, say, sayCode } from "../../lib/words";

/** What the weeks say of how the block is watered, with evidence, usual remedies and a caution. */
export function Diagnoses({ found }: { found: Schemas["DiagnosisOut"][] }) {
  if (found.length === 0) return null;
  return (
    <section aria-label={say`What the weeks say`} className="mt-3">
      {found.map((one) => (
        <One key={one.kind} one={one} />
      ))}
    </section>
  );
}

function One({ one }: { one: Schemas["DiagnosisOut"] }) {
  const [open, setOpen] = useState(false);
  return (
    <div className="mb-2 border-t border-rule pt-1.5">
      <p>
        <b>{capital(sayCode(one.kind))}.</b> {one.words}
      </p>
      <p className="secondary">{one.evidence.join("; ")}.</p>
      {one.remedies.length > 0 && (
        <button
          type="button"
          className="secondary underline"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >{say`what is usually done`}</button>
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
              <b className="text-ink">{say`Caution:`}</b> {one.caution}
            </p>
          )}
        </div>
      )}
    </div>
  );
}
