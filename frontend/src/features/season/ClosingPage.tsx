import { Link, useNavigate, useParams } from "react-router";
import { useAsOf, useFarm, useKeepAsOf } from "../../app/farm";
import { momentOf, newKey, useApply } from "../../app/records";
import { useMay } from "../../app/session";
import { say, sayCode } from "../../lib/words";
import { BlockPlaces } from "../../ui/BlockPlaces";
import { Button } from "../../ui/Button";
import { AddHarvest } from "./AddPlanting";
import { NextSeason } from "./NextSeason";
import { type Closing, useClosing } from "./queries";

const STATE_WORDS: Record<Closing["steps"][number]["state"], string> = {
  done: "done",
  now: say`do it now`,
  later: "later",
  "not needed": say`not needed`,
};

const TITLES: Record<string, string> = {
  water: say`The last water`,
  out: say`Stations out before the harvester`,
  clean: say`Cleaned, tested, stored`,
  harvest: say`The harvest`,
  next: say`What comes next`,
};

/** A block's season closed step by step, and the next one begun from it. */
export function ClosingPage() {
  const { key = "" } = useParams();
  const [asOf] = useAsOf();
  const keep = useKeepAsOf();
  const found = useClosing(key, asOf);
  if (found.isPending) return <p className="secondary py-6">{say`Looking at the season’s end …`}</p>;
  if (found.isError) return <p className="py-6">{found.error.message}</p>;
  const closing = found.data;
  return (
    <div className="py-1">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{headline(closing)}</h1>
        <span className="text-ink-2">
          {sayCode(closing.crop)}
          {closing.variety && `, ${closing.variety}`}
        </span>
      </div>
      <BlockPlaces to={keep} blockKey={key} />
      <div className="grid gap-x-7 gap-y-5 min-[1100px]:grid-cols-[minmax(0,1fr)_330px]">
        <ol className="min-w-0">
          {closing.steps.map((step, n) => (
            <li key={step.code} className="grid grid-cols-[2.25rem_minmax(0,1fr)] border-t border-rule py-3">
              <span
                aria-hidden="true"
                className={`figure text-[22px] leading-6 ${step.state === "now" ? "font-bold text-clay" : "text-ink-2"}`}
              >
                {n + 1}
              </span>
              <div>
                <h2 className="text-[17px] font-bold">
                  {TITLES[step.code]}{" "}
                  <span className={step.state === "now" ? "text-clay" : "font-normal text-ink-2"}>
                    · {sayCode(STATE_WORDS[step.state])}
                  </span>
                </h2>
                <p>{step.words}.</p>
                {asOf === undefined && <Action code={step.code} state={step.state} closing={closing} />}
              </div>
            </li>
          ))}
        </ol>
        <aside className="grid gap-5 self-start">
          <Taught closing={closing} />
          <section aria-label={say`What stays`}>
            <h2 className="text-[17px] font-bold">{say`What stays`}</h2>
            {closing.kept.map((words) => (
              <p key={words} className="border-t border-rule py-1.5">
                {words}.
              </p>
            ))}
          </section>
          <p className="no-print">
            <Link className="underline" to={keep("/closing")}>{say`Seasons of all blocks`}</Link>
          </p>
        </aside>
      </div>
    </div>
  );
}

function headline(closing: Closing): string {
  if (closing.next_words) return `${closing.name}: ${closing.next_words}`;
  const open = closing.steps.some((s) => s.state === "later");
  return open ? say`${closing.name}: nothing to close yet` : say`${closing.name}: the season is closed`;
}

interface ActionProps {
  code: string;
  state: Closing["steps"][number]["state"];
  closing: Closing;
}

/** What a person does at a step, where there is something to do. */
function Action({ code, state, closing }: ActionProps) {
  const may = useMay();
  if (state === "not needed") return null;
  if (code === "water" && state !== "done") {
    return <Link className="underline" to={`/block/${closing.key}`}>{say`Say when it must be dry`}</Link>;
  }
  if (code === "out" || code === "clean") return code === "out" ? <Stations closing={closing} /> : null;
  if (code === "harvest" && state !== "done" && may("harvests")) {
    return <AddHarvest blockKey={closing.key} name={closing.name} />;
  }
  if (code === "next" && may("plantings")) return <NextSeason closing={closing} />;
  return null;
}

function Stations({ closing }: { closing: Closing }) {
  const farm = useFarm();
  const navigate = useNavigate();
  const apply = useApply();
  const may = useMay();
  const takeOut = async (ref: string) => {
    const key = newKey("remove", farm);
    await apply.mutateAsync({
      procedure_runs: [{ key, procedure: "remove", station: ref, started: momentOf(farm), done: {} }],
    });
    navigate(`/run/${key}`);
  };
  return (
    <ul className="mt-1">
      {closing.stations.map((s) => (
        <li key={s.ref} className="flex flex-wrap items-center gap-x-3 py-1">
          <Link className="underline" to={`/stations/${s.ref}`}>
            {s.name}
          </Link>
          <span>{s.words}</span>
          {s.run && <Link className="underline" to={`/run/${s.run}`}>{say`go on taking it out`}</Link>}
          {!s.run && !s.stays && s.out_on === null && may("procedure_runs") && (
            <Button disabled={apply.isPending} onClick={() => void takeOut(s.ref)}>{say`Take it out`}</Button>
          )}
        </li>
      ))}
    </ul>
  );
}

function Taught({ closing }: { closing: Closing }) {
  if (closing.lessons.length === 0) return null;
  return (
    <section className="sheet p-4" aria-label={say`What the season taught`}>
      <h2 className="text-[17px] font-bold">{say`What the season taught`}</h2>
      <ul>
        {closing.lessons.map((one) => (
          <li key={one.words} className="border-t border-rule py-1.5">
            {one.words}.
          </li>
        ))}
      </ul>
    </section>
  );
}
