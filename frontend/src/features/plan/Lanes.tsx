import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { day } from "../../lib/dates";
import { show } from "../../lib/units";
import { hoursWords, nameOf, type PlannedSet, placed, type Span, share, spanOf, ticks } from "./lanes";

interface LanesProps {
  plan: Schemas["PlanContent"];
  chosen: PlannedSet | undefined;
  choose: (set: PlannedSet) => void;
}

/** A lane a supply, time to the right: height is flow and area is water. */
export function Lanes({ plan, chosen, choose }: LanesProps) {
  const span = spanOf(plan);
  const lanes = plan.lanes.filter((lane) => plan.sets.some((s) => s.supply === lane.supply));
  return (
    <div className="overflow-x-auto">
      <div className="min-w-[640px]">
        <Hours span={span} />
        {lanes.map((lane) => (
          <LaneRow
            key={lane.supply}
            lane={lane}
            sets={plan.sets.filter((s) => s.supply === lane.supply)}
            span={span}
            chosen={chosen}
            choose={choose}
          />
        ))}
        <p className="secondary mt-2">
          Height is flow, area is water. Dashed: proposed · hatched ground: dear hours. Nothing is opened by
          this page: a person opens the valve.
        </p>
      </div>
    </div>
  );
}

function Hours({ span }: { span: Span }) {
  return (
    <div className="ml-[104px] relative h-9" aria-hidden>
      {ticks(span).map(({ left, hour, at }) => (
        <span
          key={at.getTime()}
          className="absolute -translate-x-1/2 text-center"
          style={{ left: `${100 * left}%` }}
        >
          <span className="block h-[18px] whitespace-nowrap text-[13px] font-bold">
            {hour === 0 ? day(at) : ""}
          </span>
          <span className="figure secondary block text-[12px]!">{String(hour).padStart(2, "0")}</span>
        </span>
      ))}
    </div>
  );
}

interface LaneRowProps {
  lane: Schemas["LaneOut"];
  sets: PlannedSet[];
  span: Span;
  chosen: PlannedSet | undefined;
  choose: (set: PlannedSet) => void;
}

function LaneRow({ lane, sets, span, chosen, choose }: LaneRowProps) {
  const units = useUnits();
  const { places } = placed(lane, sets, span);
  return (
    <section aria-label={lane.name} className="mb-5 flex">
      <div className="w-[104px] shrink-0 pr-2">
        <p className="font-bold">{lane.name}</p>
        <p className="secondary text-[12px]!">
          {lane.flow_m3_h === null ? "no limit entered" : show(lane.flow_m3_h, "supplyFlow", units)}
          {lane.runs_h !== null && <span className="block">{hoursWords(lane.runs_h)} a day</span>}
        </p>
      </div>
      <div className="relative h-[118px] grow border-y border-ink">
        {lane.dear.map(([from = "", to = ""]) => (
          <span
            key={from}
            className="dear absolute inset-y-0"
            style={{
              left: `${100 * share(from, span)}%`,
              width: `${100 * (share(to, span) - share(from, span))}%`,
            }}
          />
        ))}
        {places.map(({ set, left, width, bottom, height }) => (
          <button
            key={`${set.block} ${set.part}`}
            type="button"
            aria-pressed={set === chosen}
            title={nameOf(set)}
            onClick={() => choose(set)}
            className={`absolute flex flex-col items-start justify-start overflow-hidden border-dashed border-deep p-1 text-left leading-tight ${
              set === chosen ? "border-2 bg-panel" : "border bg-panel/80"
            }`}
            style={{
              left: `${100 * left}%`,
              width: `${100 * width}%`,
              bottom: `${100 * bottom}%`,
              height: `${100 * height}%`,
            }}
          >
            <span className="max-w-full truncate text-[13px] font-bold">{nameOf(set)}</span>
            <span className="secondary max-w-full truncate text-[12px]!">
              {show(set.net_mm, "depth", units)} · {hoursWords(set.hours)}
            </span>
          </button>
        ))}
      </div>
    </section>
  );
}
