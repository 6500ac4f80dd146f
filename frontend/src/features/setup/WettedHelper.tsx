import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { percent } from "../../lib/numbers";
import { quantity, show, toServer } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import type { TypedDraft } from "../../ui/entries";
import { Field } from "../../ui/Field";
import { useWetted } from "./queries";

interface HelperProps {
  own: TypedDraft;
  rowSpacing: number | null;
  topsoil: Schemas["HorizonPart"] | undefined;
  use: (share: number) => void;
}

/** The wetted share from the width of the wet bulb: dig, measure, type. */
export function WettedHelper({ own, rowSpacing, topsoil, use }: HelperProps) {
  const units = useUnits();
  const [bulb, setBulb] = useState("");
  const number = (text: string | undefined) => {
    const value = Number((text ?? "").replace(",", "."));
    return value > 0 ? value : null;
  };
  const metres = (text: string | undefined) => {
    const value = number(text);
    return value === null ? null : toServer(value, "spacing", units);
  };
  const rows = metres(own.line_spacing_m) ?? rowSpacing;
  const wetted = useWetted({
    horizon: topsoil ?? null,
    bulb_m: metres(bulb),
    emitter_spacing_m: metres(own.spacing_m) ?? 1,
    lines_per_row: number(own.per_point) ?? 1,
    row_spacing_m: rows ?? 1,
  });
  const usual = wetted.data;
  return (
    <details className="mt-3">
      <summary className="cursor-pointer underline">{say`How much of the ground is wetted?`}</summary>
      <div className="mt-2 grid items-end gap-4 sm:grid-cols-2">
        <Field
          label={say`Width of the wet bulb 30 cm down, ${quantity("spacing", units).unit}`}
          hint={
            usual?.usual_low_m && usual.usual_high_m
              ? say`usual here: ${show(usual.usual_low_m, "spacing", units, false)} to ${show(usual.usual_high_m, "spacing", units)}; dig and measure`
              : say`dig and measure`
          }
          inputMode="decimal"
          value={bulb}
          onChange={(e) => setBulb(e.target.value)}
        />
        {usual?.wetted_fraction != null && rows && (
          <p>
            {sayWith`wets ${<b>{percent(usual.wetted_fraction)}</b>} of the ground`}{" "}
            <button
              type="button"
              className="underline"
              onClick={() => use(Number(usual.wetted_fraction?.toFixed(3)))}
            >{say`Use this`}</button>
          </p>
        )}
      </div>
    </details>
  );
}
