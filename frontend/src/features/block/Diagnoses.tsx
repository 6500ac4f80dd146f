import { group } from "d3-array";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { capital, say, sayCode } from "../../lib/words";

/** What the weeks say of how the block is watered, beside its advice; evidence, usual remedies and a caution on asking. */
export function Diagnoses({ found }: { found: Schemas["DiagnosisOut"][] }) {
  if (found.length === 0) return null;
  const places = new Set(found.map((one) => one.station)).size;
  const alike = group(found, (one) => `${one.kind} ${one.words}`);
  return (
    <section aria-label={say`What the weeks say`} className="mb-2 border-l-2 border-deep pl-3">
      {[...alike.entries()].map(([key, [one, ...others]]) =>
        one ? (
          <One
            key={key}
            one={one}
            stations={places > 1 ? [one, ...others].map((each) => each.station).join(", ") : ""}
          />
        ) : null,
      )}
    </section>
  );
}

/** What stations say alike is said once, with the evidence of the first. */
function One({ one, stations }: { one: Schemas["DiagnosisOut"]; stations: string }) {
  const [open, setOpen] = useState(false);
  return (
    <div>
      <p>
        {stations && `${stations}: `}
        <b>{capital(sayCode(one.kind))}.</b> {one.words}{" "}
        <button
          type="button"
          className="secondary underline"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          {one.remedies.length > 0 ? say`why, and what is usually done` : say`why`}
        </button>
      </p>
      {open && (
        <div className="secondary my-1">
          <p>{one.evidence.join("; ")}.</p>
          <ul className="list-disc pl-5">
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
