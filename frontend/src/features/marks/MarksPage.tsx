import { useState } from "react";
import { useParams } from "react-router";
import { useAsOf, useKeepAsOf, useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { RefillEvidence, SAME_MM } from "../../charts/RefillEvidence";
import { dated } from "../../lib/dates";
import { show } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { BlockPlaces } from "../../ui/BlockPlaces";
import { Button } from "../../ui/Button";
import { Answers } from "./Answers";
import { Chosen } from "./Chosen";
import { Layers } from "./Layers";
import { PickDialog } from "./PickDialog";
import { type PartProps, type Picking, pickOf } from "./picking";
import { type Estimate, type Marks, type Pick, useMarks } from "./queries";

/** The marks of a block: every estimator's answer with its evidence; a person picks. */
export function MarksPage() {
  const { key = "" } = useParams();
  const [asOf] = useAsOf();
  const marks = useMarks(key, asOf);
  const [picking, setPicking] = useState<Picking | null>(null);
  const may = useMay();
  if (marks.isPending) return <p className="secondary py-6">{say`Reading the season's nights …`}</p>;
  if (marks.isError) return <p className="py-6">{marks.error.message}</p>;
  const data = marks.data;
  const start = may("mark_choices") && !asOf ? setPicking : null;
  return (
    <div className="py-1">
      <Head marks={data} />
      {data.offers.map((offer) => (
        <p key={offer.words} className="sheet mt-3 flex flex-wrap items-center gap-4 p-3">
          <span>
            <b>{offer.picks.length > 0 ? say`Offer` : say`Not offered`}:</b> {offer.words}.
            {offer.picks.length > 0 && say` Nothing changes unless you pick it.`}
          </span>
          {start && offer.picks.length > 0 && (
            <Button
              onClick={() =>
                start({ picks: offer.picks as unknown as Pick[], title: say`Full point from the field` })
              }
            >{say`Pick it`}</Button>
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

function Head({ marks }: { marks: Marks }) {
  const units = useUnits();
  const keep = useKeepAsOf();
  const stage = marks.stages.find((s) => s.stage === marks.stage);
  const mm = (value: number | null | undefined) =>
    value === null || value === undefined ? "–" : show(value, "depth", units);
  return (
    <>
      <h1>{say`${marks.name}: marks`}</h1>
      <BlockPlaces to={keep} blockKey={marks.block} />
      <p className="mt-1">{sayWith`${marks.crop}${stage && say`, stage ${stage.stage} (${dated(stage.first_day)} to ${dated(stage.after)})`}${!stage && say`, stage not known: give a planting date and stage lengths in set-up`}. In the root zone${
        marks.root_depth_cm !== null &&
        marks.root_depth_cm !== undefined &&
        `, ${show(marks.root_depth_cm, "soilDepth", units)}`
      }: full ${<b>{mm(marks.full_mm)}</b>}, refill ${<b>{mm(marks.refill_mm)}</b>}, wilting ${<b>{mm(marks.wilting_mm)}</b>}.`}</p>
    </>
  );
}

function RootZone({ marks, start }: PartProps) {
  const units = useUnits();
  const { full_mm: full, refill_mm: refill, wilting_mm: wilting } = marks;
  const available = full != null && wilting != null ? full - wilting : null;
  const inForce = full != null && refill != null ? full - refill : null;
  const mmOf = (one: Estimate) => depletionOf(one, available);
  return (
    <section aria-label={say`Refill point`} className="mt-4">
      <h2 className="text-[17px] font-bold">{say`Refill point, root zone`}</h2>
      <Answers
        estimates={marks.refill}
        inForce={(one) => {
          const mm = mmOf(one);
          return mm !== null && inForce !== null && Math.abs(mm - inForce) < SAME_MM;
        }}
        pick={start && ((one) => start({ picks: [pickOf(one)], title: say`Refill point: ${one.estimator}` }))}
        draw={(one) => (
          <>
            <RefillEvidence
              found={marks.slow_down}
              units={units}
              available={available}
              inForce={inForce}
              looked={lookedAt(one, available)}
              others={[...new Set(marks.refill.map(mmOf).filter((mm) => mm !== null))]}
            />
            <p className="secondary">{say`Uptake slow-down: ${marks.slow_down.words}.`}</p>
          </>
        )}
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
              {sayCode(own.word)}
            </button>
          ))}
        </p>
      )}
    </section>
  );
}

/** The depletion an answer speaks of [mm]; a tension says none by itself. */
function depletionOf(one: Estimate, available: number | null, value = one.value): number | null {
  if (value === null || value === undefined) return null;
  if (one.how === "depletion") return value;
  return one.how === "fraction" && available !== null ? value * available : null;
}

function lookedAt(one: Estimate, available: number | null) {
  const at = depletionOf(one, available);
  if (at === null) return null;
  return { at, low: depletionOf(one, available, one.low), high: depletionOf(one, available, one.high) };
}

const OWN: { word: string; title: string; pick: Pick }[] = [
  {
    word: say`own share of full`,
    title: say`Refill point by share of available water`,
    pick: { mark: "refill", how: "fraction", value: 0.5, estimator: "share of full" },
  },
  {
    word: say`own tension`,
    title: say`Refill point by tension`,
    pick: { mark: "refill", how: "tension", value: 50, estimator: "tension threshold" },
  },
  {
    word: say`full by tension`,
    title: say`Full point by tension`,
    pick: { mark: "full", how: "tension", value: 10, estimator: "tension" },
  },
];
