import type { ReactNode } from "react";
import { show, type UnitSystem } from "../../lib/units";
import { waterColour } from "../../lib/waterScale";
import { say } from "../../lib/words";
import type { What } from "./queries";

export const WHAT: { value: What; label: string }[] = [
  { value: "depletion", label: say`short of full` },
  { value: "available", label: say`share of available water` },
  { value: "index", label: say`index, uncalibrated: rank only` },
  { value: "temperature", label: say`soil temperature` },
  { value: "salinity", label: say`salinity` },
];

/** A figure of what is mapped, without its unit. */
export function figureFor(what: What, units: UnitSystem): (value: number) => string {
  if (what === "depletion") return (v) => show(v, "depth", units, false);
  if (what === "temperature") return (v) => show(v, "temperature", units, false);
  if (what === "available") return (v) => `${Math.round(100 * v)}`;
  return (v) => v.toFixed(2);
}

/** The unit of what is mapped; nothing for a mere rank. */
export function unitOf(what: What, units: UnitSystem): string {
  const alone = (kind: "depth" | "temperature") => show(0, kind, units).replace(/^\S+ /, "");
  if (what === "depletion") return alone("depth");
  if (what === "temperature") return alone("temperature");
  return { available: "%", index: "", salinity: "dS/m" }[what];
}

interface ScaleProps {
  what: What;
  span: { low: number; high: number };
  figure: (value: number) => string;
  unit: string;
  children: ReactNode;
}

/** What the colours mean, with their figures. */
export function Scale({ what, span, figure, unit, children }: ScaleProps) {
  const steps = [0, 0.25, 0.5, 0.75, 1];
  const wet = (share: number) => (what === "depletion" || what === "salinity" ? 1 - share : share);
  return (
    <p className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1">
      {steps.map((share) => (
        <span key={share} className="flex items-center gap-1.5">
          <span
            aria-hidden="true"
            className="inline-block h-3.5 w-6 border border-ink"
            style={{ background: waterColour(wet(share)) }}
          />
          <span className="figure">{figure(span.low + share * (span.high - span.low))}</span>
        </span>
      ))}
      <span>{unit}</span>
      <span className="secondary">{children}</span>
    </p>
  );
}
