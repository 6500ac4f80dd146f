import { useState } from "react";
import { useUnits } from "../../app/farm";
import { DrainDowns } from "../../charts/DrainDowns";
import { dated } from "../../lib/dates";
import { quantity, show } from "../../lib/units";
import { say } from "../../lib/words";
import { Answers, saysTheta } from "./Answers";
import { type PartProps, pickOf } from "./picking";
import type { Estimate, Marks } from "./queries";

/** Full and wilting point by layer, with every answer and the drain-downs behind the field's. */
export function Layers({ marks, start }: PartProps) {
  const units = useUnits();
  const [open, setOpen] = useState(0);
  const unit = quantity("soilDepth", units).unit;
  const layer = marks.layers[open] ?? marks.layers[0];
  if (!layer) return null;
  const cm = (value: number) => show(value, "soilDepth", units, false);
  const span = say`${cm(layer.top_cm)} to ${cm(layer.bottom_cm)} ${unit}`;
  const pick = start
    ? (one: Estimate) =>
        start({ picks: [pickOf(one, layer)], title: say`${one.mark} point, ${span}: ${one.estimator}` })
    : null;
  return (
    <section aria-label={say`Layers`} className="mt-6">
      <h2 className="text-[17px] font-bold">{say`Full and wilting point, by layer`}</h2>
      <div className="mt-1 grid gap-6 lg:grid-cols-[190px_minmax(0,1fr)]">
        <ol>
          {marks.layers.map((l, i) => (
            <li key={l.top_cm}>
              <button
                type="button"
                aria-pressed={i === open}
                className={`w-full border-b border-rule py-1.5 text-left ${i === open ? "bg-band font-bold" : ""}`}
                onClick={() => setOpen(i)}
              >
                {say`${cm(l.top_cm)} to ${cm(l.bottom_cm)} ${unit}`}
                {!l.in_roots && <span className="secondary"> {say`below the roots`}</span>}
                <span className="figure block text-[12.5px]">
                  {(l.theta_full * 100).toFixed(1)} · {(l.theta_refill * 100).toFixed(1)} ·{" "}
                  {(l.theta_wilting * 100).toFixed(1)} %
                </span>
              </button>
            </li>
          ))}
          <li className="secondary pt-1">{say`full · refill · wilting in force`}</li>
        </ol>
        <div className="min-w-0">
          <h3 className="font-bold">{say`Full point, ${span}`}</h3>
          <Answers
            key={span}
            estimates={layer.full}
            inForce={saysTheta(layer.theta_full)}
            pick={pick}
            draw={(one) => (
              <DrainDowns
                events={layer.drain_downs}
                inForce={layer.theta_full}
                looked={
                  one.how === "theta" && one.value !== null
                    ? { theta: one.value, low: one.low, high: one.high }
                    : null
                }
              />
            )}
          />
          <Rejected layer={layer} />
          <h3 className="mt-4 font-bold">{say`Wilting point, ${span}`}</h3>
          <Answers
            key={`wilting ${span}`}
            estimates={layer.wilting}
            inForce={saysTheta(layer.theta_wilting)}
            pick={pick}
          />
          {start && (
            <p className="mt-2 flex gap-4">
              {(["full", "wilting"] as const).map((mark) => (
                <button
                  key={mark}
                  type="button"
                  className="underline"
                  onClick={() =>
                    start({
                      picks: [
                        {
                          mark,
                          how: "theta",
                          value: mark === "full" ? layer.theta_full : layer.theta_wilting,
                          top_cm: layer.top_cm,
                          bottom_cm: layer.bottom_cm,
                          estimator: "laboratory",
                        },
                      ],
                      title: say`${mark} point from a laboratory, ${span}`,
                    })
                  }
                >{say`laboratory value, ${mark}`}</button>
              ))}
            </p>
          )}
        </div>
      </div>
    </section>
  );
}

/** Why drain-downs were not used, counted, and those that were. */
function Rejected({ layer }: { layer: Marks["layers"][number] }) {
  const reasons = new Map<string, number>();
  for (const event of layer.drain_downs.filter((e) => e.theta === null)) {
    const words = event.why_not
      .replace(/ \(it rose.*\)/, "")
      .replace(/^it brought .*?: /, "beside larger ones, ");
    reasons.set(words, (reasons.get(words) ?? 0) + 1);
  }
  const used = layer.drain_downs.filter((e) => e.theta !== null);
  return (
    <div className="mt-2 text-[13.5px]">
      <p>
        <b>{say`Used, ${used.length}:`}</b>{" "}
        {used
          .slice(-12)
          .map((e) => `${dated(e.ended).slice(0, -5)}: ${((e.theta ?? 0) * 100).toFixed(1)}`)
          .join(" · ")}
      </p>
      <ul className="mt-2">
        {[...reasons.entries()].map(([why, count]) => (
          <li key={why}>
            <b>{say`Not used, ${count}:`}</b> {why}.
          </li>
        ))}
      </ul>
    </div>
  );
}
