import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf } from "../../app/records";
import { show } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { RefusalNote, type Refusals, refusalsByName } from "../../ui/entries";
import { Field } from "../../ui/Field";
import { Wide } from "../../ui/Wide";
import { CostTable } from "./CostTable";
import { useApply, useInstruments } from "./queries";

type Content = Schemas["InstrumentContent"];

/** What to measure a block with: each way's depths, cost, and what it can and cannot tell. */
export function InstrumentPage() {
  const { block = "" } = useParams();
  const farm = useFarm();
  const navigate = useNavigate();
  const plan = useInstruments(block);
  return (
    <div className="py-1">
      <div className="flex flex-wrap items-baseline gap-x-5">
        <h1>{say`What to measure`}</h1>
        <select
          aria-label={say`Block`}
          className="rounded-sheet border border-rule bg-panel px-2 py-1"
          value={block}
          onChange={(e) => navigate(`/stations/plan/${e.target.value}`)}
        >
          {farm.blocks.map((b) => (
            <option key={b.key} value={b.key}>
              {b.name}
            </option>
          ))}
        </select>
        <Link className="underline" to={`/stations/siting/${block}`}>{say`where to put it`}</Link>
      </div>
      {plan.isError && <p className="mt-3">{say`No proposal because ${plan.error.message}.`}</p>}
      {plan.data && <Plan key={block} block={block} content={plan.data} />}
    </div>
  );
}

function Plan({ block, content }: { block: string; content: Content }) {
  const units = useUnits();
  const apply = useApply();
  const [refused, setRefused] = useState<Refusals>({});
  const [numbers, setNumbers] = useState({
    seasons: String(content.seasons),
    labour_per_h: String(content.labour_per_h),
    visits: String(content.visits),
  });
  const [costs, setCosts] = useState<Record<string, Record<string, number>>>({});
  const store = async (choice: string) => {
    const number = (text: string) => Number(text.replace(",", "."));
    try {
      await apply.mutateAsync({
        instrument_plans: [
          {
            key: block,
            choice: choice || content.choices[0]?.choice || "",
            seasons: number(numbers.seasons),
            labour_per_h: number(numbers.labour_per_h),
            visits: number(numbers.visits),
            costs: { ...ownCosts(content), ...costs },
          },
        ],
      });
      setRefused({});
    } catch (error) {
      setRefused(refusalsByName(errorsOf(error), Object.keys(numbers)));
    }
  };
  const set = (part: Partial<typeof numbers>) => setNumbers({ ...numbers, ...part });
  return (
    <>
      <p className="secondary mt-1">{say`Root depth ${show(content.root_depth_cm, "soilDepth", units)}; the soil is described to ${show(content.soil_depth_cm, "soilDepth", units)}.`}</p>
      {content.notes.map((n) => (
        <p key={n}>
          <b>{say`Check:`}</b> {n}
        </p>
      ))}
      <ul className="mt-3 grid gap-4 md:grid-cols-2 xl:grid-cols-3">
        {content.choices.map((c) => (
          <ChoiceCard
            key={c.choice}
            choice={c}
            seasons={content.seasons}
            chosen={c.choice === content.chosen}
            choose={() => void store(c.choice)}
          />
        ))}
      </ul>
      <Ways content={content} />
      <Zones content={content} />
      <section className="mt-6 max-w-3xl">
        <h2 className="text-[17px] font-bold">{say`Costs`}</h2>
        <div className="mt-1 grid gap-4 sm:grid-cols-3">
          <Field
            label={say`Seasons`}
            value={numbers.seasons}
            error={refused.seasons}
            onChange={(e) => set({ seasons: e.target.value })}
          />
          <Field
            label={say`Labour an hour`}
            value={numbers.labour_per_h}
            error={refused.labour_per_h}
            onChange={(e) => set({ labour_per_h: e.target.value })}
          />
          <Field
            label={say`Readings by hand a season`}
            value={numbers.visits}
            error={refused.visits}
            onChange={(e) => set({ visits: e.target.value })}
          />
        </div>
        <CostTable content={content} costs={costs} change={setCosts} />
        <RefusalNote refused={refused} />
        <Button
          className="mt-3"
          disabled={apply.isPending}
          onClick={() => void store(content.chosen)}
        >{say`Calculate with these`}</Button>
      </section>
    </>
  );
}

/** Do it or hire it; by hand, logger or radio: what each costs and asks for. */
function Ways({ content }: { content: Content }) {
  const chosen = content.choices.find((c) => c.choice === content.chosen) ?? content.choices[0];
  if (!chosen) return null;
  return (
    <section className="mt-6" aria-label={say`Do it or hire it`}>
      <h2 className="text-[17px] font-bold">{say`Do it or hire it: ${chosen.title.toLowerCase()}`}</h2>
      <Wide label={say`Costs`}>
        <table className="mt-1 w-full text-left">
          <thead className="secondary">
            <tr>
              {[
                say`way`,
                say`first year`,
                say`later years`,
                say`in ${content.seasons} seasons`,
                say`you do`,
              ].map((h) => (
                <th key={h} className="pr-4 font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {content.ways.map((w) => (
              <tr key={`${w.reading} ${w.by}`} className="border-t border-rule align-baseline">
                <th scope="row" className="max-w-72 py-1.5 pr-4 font-normal">
                  <b>{w.title}</b>
                  <span className="secondary block">{w.convenience}</span>
                </th>
                <td className="figure pr-4">{Math.round(w.first_year)}</td>
                <td className="figure pr-4">{Math.round(w.later_years)}</td>
                <td className="figure pr-4 font-bold">{Math.round(w.total)}</td>
                <td>{w.duties.join(". ")}.</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Wide>
    </section>
  );
}

/** A controller with several zones on one sensor: which of them it can stand for. */
function Zones({ content }: { content: Content }) {
  if (content.zones.length === 0) return null;
  const fits = content.zones.filter((z) => z.fits);
  return (
    <section className="mt-6 max-w-3xl" aria-label={say`One sensor for several zones`}>
      <h2 className="text-[17px] font-bold">{say`One sensor for several zones`}</h2>
      <p>
        {fits.length > 0
          ? say`A station here can stand for ${fits.map((z) => z.name).join(", ")}.`
          : say`A station here can stand for no other block.`}
      </p>
      <ul>
        {content.zones
          .filter((z) => !z.fits)
          .map((z) => (
            <li key={z.key} className="secondary">{say`Not for ${z.why}.`}</li>
          ))}
      </ul>
    </section>
  );
}

function ownCosts(content: Content): Record<string, Record<string, number>> {
  const names = ["buy", "install", "yearly_fee", "install_min", "visit_min"] as const;
  return Object.fromEntries(
    content.costs
      .filter((c) => c.source === "entered")
      .map((c) => [c.kind, Object.fromEntries(names.map((n) => [n, c[n]]))]),
  );
}

interface CardProps {
  choice: Schemas["ChoiceOut"];
  seasons: number;
  chosen: boolean;
  choose: () => void;
}

function ChoiceCard({ choice: c, seasons, chosen, choose }: CardProps) {
  const units = useUnits();
  const depths = c.depths_cm.map((d) => show(d, "soilDepth", units, false)).join(" · ");
  return (
    <li className={`sheet flex flex-col p-4 ${chosen ? "border-2 border-ink" : ""}`}>
      <h2 className="font-bold">{c.title}</h2>
      <p className="figure mt-1">
        {depths} {units === "us" ? "in" : "cm"}
      </p>
      <p className="secondary">{say`${c.sensors} sensors at ${c.stations} ${c.stations === 1 ? say`place` : say`places`}${c.watch_cm !== null && say`, one of them below the roots`}`}</p>
      <p className="mt-2">{sayWith`${<b className="figure">{Math.round(c.total).toLocaleString("en").replace(",", " ")}</b>} in ${seasons} seasons${<span className="secondary"> {say`(${Math.round(c.first_year)} in the first)`}</span>}`}</p>
      <h3 className="secondary mt-2 font-bold">{say`Tells`}</h3>
      <ul>
        {c.tells.map((t) => (
          <li key={t}>{t}</li>
        ))}
      </ul>
      {c.cannot_tell.length > 0 && <h3 className="secondary mt-2 font-bold">{say`Does not tell`}</h3>}
      <ul className="grow">
        {c.cannot_tell.map((t) => (
          <li key={t}>{t}</li>
        ))}
      </ul>
      <p className="mt-3">
        {chosen ? <b>{say`Chosen.`}</b> : <Button onClick={choose}>{say`Choose it`}</Button>}
      </p>
    </li>
  );
}
