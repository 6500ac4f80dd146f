import { useState } from "react";
import { Link, useParams } from "react-router";
import { useAsOf, useFarm, useKeepAsOf, useUnits } from "../../app/farm";
import { errorsOf, momentOf, useApply } from "../../app/records";
import { useMay } from "../../app/session";
import { DrainDowns } from "../../charts/DrainDowns";
import { SlowDownPlot } from "../../charts/SlowDownPlot";
import { inUnits, quantity, show } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Estimates } from "./Estimates";
import { PickDialog } from "./PickDialog";
import { type Estimate, type Marks, type Pick, useMarks } from "./queries";
import { figure } from "./words";

interface Picking {
  picks: Pick[];
  title: string;
}

/** The marks of a block: every estimator's answer with its evidence; a person picks. */
export function MarksPage() {
  const { key = "" } = useParams();
  const [asOf] = useAsOf();
  const marks = useMarks(key, asOf);
  const [picking, setPicking] = useState<Picking | null>(null);
  const may = useMay();
  if (marks.isPending) return <p className="secondary py-6">Going through the season's nights …</p>;
  if (marks.isError) return <p className="py-6">{marks.error.message}</p>;
  const data = marks.data;
  const start = may("mark_choices") && !asOf ? setPicking : null;
  return (
    <div className="py-1">
      <Head marks={data} />
      {data.offers.map((offer) => (
        <p key={offer.words} className="sheet mt-3 flex flex-wrap items-center gap-4 p-3">
          <span>
            <b>{offer.picks.length > 0 ? "Offer" : "Not offered"}:</b> <Offer words={offer.words} />.
            {offer.picks.length > 0 && " Nothing changes unless you pick it."}
          </span>
          {start && offer.picks.length > 0 && (
            <Button
              onClick={() =>
                start({ picks: offer.picks as unknown as Pick[], title: "Full point from the field" })
              }
            >
              Pick it
            </Button>
          )}
        </p>
      ))}
      {data.why_not && <p className="mt-3">{data.why_not}</p>}
      <RootZone marks={data} start={start} />
      <Layers marks={data} start={start} />
      <Chosen marks={data} />
      {picking && (
        <PickDialog marks={data} picks={picking.picks} title={picking.title} close={() => setPicking(null)} />
      )}
    </div>
  );
}

function Offer({ words }: { words: string }) {
  const units = useUnits();
  return <>{inUnits(words, units)}</>;
}

function Head({ marks }: { marks: Marks }) {
  const units = useUnits();
  const keep = useKeepAsOf();
  const stage = marks.stages.find((s) => s.stage === marks.stage);
  const mm = (value: number | null | undefined) =>
    value === null || value === undefined ? "–" : show(value, "depth", units);
  return (
    <>
      <p className="secondary">
        <Link className="underline" to={keep(`/block/${marks.block}`)}>
          {marks.name}
        </Link>{" "}
        ·{" "}
        <Link className="underline" to={keep(`/block/${marks.block}/tension`)}>
          tension and water
        </Link>{" "}
        ·{" "}
        <Link className="underline" to={keep(`/block/${marks.block}/growth`)}>
          growth
        </Link>
      </p>
      <h1>{marks.name}: marks</h1>
      <p className="mt-1">
        {marks.crop}
        {stage && `, stage ${stage.stage} (${stage.first_day} to ${stage.after})`}
        {!stage && ", stage not known: give a planting date and stage lengths in set-up"}. In the root zone
        {marks.root_depth_cm !== null &&
          marks.root_depth_cm !== undefined &&
          `, ${show(marks.root_depth_cm, "soilDepth", units)}`}
        : full <b>{mm(marks.full_mm)}</b>, refill <b>{mm(marks.refill_mm)}</b>, wilting{" "}
        <b>{mm(marks.wilting_mm)}</b>.
      </p>
    </>
  );
}

interface PartProps {
  marks: Marks;
  start: ((picking: Picking) => void) | null;
}

function pickOf(one: Estimate, span?: { top_cm: number; bottom_cm: number }): Pick {
  return {
    mark: one.mark as Pick["mark"],
    how: one.how as Pick["how"],
    value: one.value ?? 0,
    estimator: one.estimator,
    ...(span ? { top_cm: span.top_cm, bottom_cm: span.bottom_cm } : {}),
  };
}

function RootZone({ marks, start }: PartProps) {
  const units = useUnits();
  return (
    <section aria-label="Refill point" className="mt-5">
      <h2 className="text-[17px] font-bold">Refill point, root zone</h2>
      <div className="mt-1 grid gap-6 xl:grid-cols-[minmax(0,1fr)_440px]">
        <div>
          <Estimates
            estimates={marks.refill}
            pick={
              start && ((one) => start({ picks: [pickOf(one)], title: `Refill point: ${one.estimator}` }))
            }
          />
          {start && (
            <p className="mt-2 flex flex-wrap gap-4">
              {OWN.map((own) => (
                <button
                  key={own.title}
                  type="button"
                  className="underline"
                  onClick={() => start({ picks: [own.pick], title: own.title })}
                >
                  {own.word}
                </button>
              ))}
            </p>
          )}
        </div>
        <div>
          {marks.slow_down.points.length > 0 && <SlowDownPlot found={marks.slow_down} units={units} />}
          <p className="secondary">Uptake slow-down: {inUnits(marks.slow_down.words, units)}.</p>
        </div>
      </div>
    </section>
  );
}

const OWN: { word: string; title: string; pick: Pick }[] = [
  {
    word: "own share of full",
    title: "Refill point by share of available water",
    pick: { mark: "refill", how: "fraction", value: 0.5, estimator: "share of full" },
  },
  {
    word: "own tension",
    title: "Refill point by tension",
    pick: { mark: "refill", how: "tension", value: 50, estimator: "tension threshold" },
  },
  {
    word: "full by tension",
    title: "Full point by tension",
    pick: { mark: "full", how: "tension", value: 10, estimator: "tension" },
  },
];

function Layers({ marks, start }: PartProps) {
  const units = useUnits();
  const [open, setOpen] = useState(0);
  const unit = quantity("soilDepth", units).unit;
  const layer = marks.layers[open] ?? marks.layers[0];
  if (!layer) return null;
  const cm = (value: number) => show(value, "soilDepth", units, false);
  const span = `${cm(layer.top_cm)} to ${cm(layer.bottom_cm)} ${unit}`;
  const field = layer.full.find((e) => e.estimator === "drain-down");
  const pick = start
    ? (one: Estimate) =>
        start({ picks: [pickOf(one, layer)], title: `${one.mark} point, ${span}: ${one.estimator}` })
    : null;
  return (
    <section aria-label="Layers" className="mt-6">
      <h2 className="text-[17px] font-bold">Full and wilting point, by layer</h2>
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
                {cm(l.top_cm)} to {cm(l.bottom_cm)} {unit}
                {!l.in_roots && <span className="secondary"> below the roots</span>}
                <span className="figure block text-[12.5px]">
                  {(l.theta_full * 100).toFixed(1)} · {(l.theta_refill * 100).toFixed(1)} ·{" "}
                  {(l.theta_wilting * 100).toFixed(1)} %
                </span>
              </button>
            </li>
          ))}
          <li className="secondary pt-1">full · refill · wilting in force</li>
        </ol>
        <div className="min-w-0">
          <h3 className="font-bold">Full point, {span}</h3>
          <Estimates estimates={layer.full} inForce={layer.theta_full} pick={pick} />
          <div className="mt-3 grid gap-5 xl:grid-cols-[460px_minmax(0,1fr)]">
            {layer.drain_downs.some((e) => e.nights.length > 0) && (
              <DrainDowns
                events={layer.drain_downs}
                inForce={layer.theta_full}
                median={field?.value ?? null}
              />
            )}
            <Rejected layer={layer} />
          </div>
          <h3 className="mt-4 font-bold">Wilting point, {span}</h3>
          <Estimates estimates={layer.wilting} inForce={layer.theta_wilting} pick={pick} />
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
      .replace(/^still draining.*/, "still draining when it was to be read");
    reasons.set(words, (reasons.get(words) ?? 0) + 1);
  }
  const used = layer.drain_downs.filter((e) => e.theta !== null);
  return (
    <div className="text-[13.5px]">
      <p>
        <b>Used, {used.length}:</b>{" "}
        {used
          .slice(-12)
          .map((e) => `${e.ended.slice(5, 10)} ${((e.theta ?? 0) * 100).toFixed(1)}`)
          .join(" · ")}
      </p>
      <ul className="mt-2">
        {[...reasons.entries()].map(([why, count]) => (
          <li key={why}>
            <b>Not used, {count}:</b> {why}.
          </li>
        ))}
      </ul>
    </div>
  );
}

function Chosen({ marks }: { marks: Marks }) {
  const farm = useFarm();
  const units = useUnits();
  const apply = useApply();
  const may = useMay();
  const [trouble, setTrouble] = useState("");
  if (marks.chosen.length === 0) return null;
  const withdraw = async (body: Record<string, unknown>) => {
    try {
      await apply.mutateAsync({ mark_choices: [{ ...body, withdrawn: momentOf(farm) }] as never });
      setTrouble("");
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  return (
    <section aria-label="Picked" className="mt-6">
      <h2 className="text-[17px] font-bold">What was picked</h2>
      {trouble && <p className="font-bold text-clay">{trouble}</p>}
      <ul>
        {[...marks.chosen].reverse().map(({ key, body, state }) => {
          const said = body as Record<string, string | number | null>;
          return (
            <li key={key} className="border-b border-rule py-1.5">
              <b className={state === "withdrawn" ? "line-through" : ""}>
                {String(said.mark)} {figure(Number(said.value), String(said.how), units)}
              </b>
              {said.top_cm !== null &&
                `, ${show(Number(said.top_cm), "soilDepth", units, false)} to ${show(Number(said.bottom_cm), "soilDepth", units)}`}
              {said.stage ? `, ${said.stage}` : ""}, from {said.valid_from}: {state}. {said.estimator}
              {said.estimator ? ": " : ""}
              {said.note} {said.who && <span className="secondary">({said.who})</span>}
              {may("mark_choices") && said.withdrawn === null && (
                <button
                  type="button"
                  className="ml-3 underline"
                  disabled={apply.isPending}
                  onClick={() => void withdraw(body)}
                >
                  withdraw
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
