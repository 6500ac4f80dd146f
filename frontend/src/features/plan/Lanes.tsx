import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { day } from "../../lib/dates";
import { hoursWords } from "../../lib/numbers";
import { show } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { movable } from "./draft";
import { nameOf, type Place, type PlannedSet, placed, type Span, share, spanOf, ticks } from "./lanes";

interface LanesProps {
  plan: Schemas["PlanContent"];
  sets: PlannedSet[];
  chosen: PlannedSet | undefined;
  broken: ReadonlySet<string>;
  out: readonly string[];
  choose: (set: PlannedSet) => void;
  nudge: ((set: PlannedSet, minutes: number) => void) | undefined;
}

/** A lane a supply, time to the right: height is flow and area is water. */
export function Lanes(props: LanesProps) {
  const { plan, sets } = props;
  const span = spanOf(plan);
  const lanes = plan.lanes.filter((lane) => sets.some((s) => s.supply === lane.supply));
  return (
    <div className="relative overflow-x-auto">
      <div className="min-w-[640px]">
        <Hours span={span} />
        {lanes.map((lane) => (
          <LaneRow key={lane.supply} lane={lane} span={span} {...props} />
        ))}
        <People plan={plan} sets={sets} span={span} />
        <p className="secondary mt-2">{say`Height is flow, area is water. Filled: running · thick outline: approved · dashed: proposed · hatched ground: dear hours · grey ground: no water.`}</p>
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

interface LaneRowProps extends LanesProps {
  lane: Schemas["LaneOut"];
  span: Span;
}

function LaneRow({ lane, sets, span, chosen, broken, out, choose, nudge, plan }: LaneRowProps) {
  const units = useUnits();
  const ground = useRef<HTMLDivElement>(null);
  const { places } = placed(
    lane,
    sets.filter((s) => s.supply === lane.supply),
    span,
  );
  const pixels = () => (ground.current?.clientWidth ?? 600) / span.hours;
  return (
    <section aria-label={lane.name} className="mb-5 flex">
      <div className="w-[104px] shrink-0 pr-2">
        <p className="font-bold">{lane.name}</p>
        <p className="secondary text-[12px]!">
          {lane.flow_m3_h === null ? say`no limit entered` : show(lane.flow_m3_h, "supplyFlow", units)}
          {lane.runs_h !== null && <span className="block">{say`${hoursWords(lane.runs_h)} a day`}</span>}
          {lane.left_m3 !== null && (
            <span className="block">{say`${show(lane.left_m3, "volume", units)} left this season`}</span>
          )}
          {lane.controlled && <span className="block">{lane.armed ? say`armed` : say`not armed`}</span>}
        </p>
      </div>
      <div ref={ground} className="relative h-[118px] grow border-y border-ink">
        <Ground spans={lane.dear} kind="dear" span={span} />
        <Ground spans={lane.closed} kind="bg-rule/60" span={span} />
        {places.map((place) => (
          <SetBox
            key={place.set.key}
            place={place}
            chosen={place.set.key === chosen?.key}
            broken={broken.has(place.set.key)}
            out={out.includes(place.set.key)}
            step={plan.step_min}
            pixels={pixels}
            choose={choose}
            nudge={nudge && movable(place.set) ? nudge : undefined}
          />
        ))}
      </div>
    </section>
  );
}

function Ground({ spans, kind, span }: { spans: string[][]; kind: string; span: Span }) {
  return spans.map(([from = "", to = ""]) => (
    <span
      key={from}
      className={`${kind} absolute inset-y-0`}
      style={{
        left: `${100 * share(from, span)}%`,
        width: `${100 * (share(to, span) - share(from, span))}%`,
      }}
    />
  ));
}

interface SetBoxProps {
  place: Place;
  chosen: boolean;
  broken: boolean;
  out: boolean;
  step: number;
  pixels: () => number;
  choose: (set: PlannedSet) => void;
  nudge: ((set: PlannedSet, minutes: number) => void) | undefined;
}

/** How a set looks by what it is: filled when it runs or ran, outlined when approved, dashed when proposed. */
function look(set: PlannedSet, chosen: boolean, broken: boolean): string {
  const line = broken ? "border-clay" : "border-deep";
  if (set.state === "running" || set.state === "done" || set.state === "cut short")
    return `${line} border bg-deep/90 text-panel`;
  if (set.state === "proposed")
    return say`${line} border-dashed ${chosen ? "border-2 bg-panel" : "border bg-panel/80"}`;
  if (set.state === "failed") return "border border-clay bg-panel/80 line-through";
  return say`${line} bg-panel ${chosen ? "border-[3px]" : "border-2"}`;
}

function SetBox({ place, chosen, broken, out, step, pixels, choose, nudge }: SetBoxProps) {
  const units = useUnits();
  const { set } = place;
  const held = useRef<{ x: number; steps: number } | undefined>(undefined);
  const press = (event: PointerEvent<HTMLButtonElement>) => {
    choose(set);
    // A finger scrolls the page; on a touch screen the buttons beside the drawing move a set.
    if (!nudge || event.button !== 0 || event.pointerType === "touch") return;
    held.current = { x: event.clientX, steps: 0 };
    event.currentTarget.setPointerCapture(event.pointerId);
  };
  const drag = (event: PointerEvent<HTMLButtonElement>) => {
    if (!held.current || !nudge) return;
    const steps = Math.round(((event.clientX - held.current.x) / pixels()) * (60 / step));
    if (steps === held.current.steps) return;
    nudge(set, (steps - held.current.steps) * step);
    held.current.steps = steps;
  };
  const arrow = (event: KeyboardEvent) => {
    const side = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
    if (!side || !nudge) return;
    event.preventDefault();
    choose(set);
    nudge(set, side * step * (event.shiftKey ? 12 : 1));
  };
  const dark = set.state === "running" || set.state === "done" || set.state === "cut short";
  return (
    <button
      type="button"
      aria-pressed={chosen}
      title={nudge ? say`${nameOf(set)}: drag, or arrow keys` : nameOf(set)}
      onClick={() => choose(set)}
      onPointerDown={press}
      onPointerMove={drag}
      onPointerUp={() => {
        held.current = undefined;
      }}
      onKeyDown={arrow}
      className={`absolute flex flex-col items-start justify-start overflow-hidden p-1 text-left leading-tight ${look(set, chosen, broken)} ${out ? "opacity-40" : ""} ${nudge ? "cursor-grab!" : ""}`}
      style={{
        left: `${100 * Math.max(0, place.left)}%`,
        width: `${100 * (place.width + Math.min(0, place.left))}%`,
        bottom: `${100 * Math.max(0, Math.min(place.bottom, 1 - place.height))}%`,
        height: `${100 * place.height}%`,
      }}
    >
      <span className="max-w-full truncate text-[13px] font-bold">
        {nameOf(set)}
        {set.locked ? " · locked" : ""}
      </span>
      <span className={`${dark ? "" : "secondary"} max-w-full truncate text-[12px]!`}>
        {show(set.net_mm, "depth", units)} · {hoursWords(set.hours)}
        {set.pulses > 1 ? say` · ${set.pulses} pulses` : ""}
      </span>
      <span className="sr-only">
        {sayCode(set.state)}
        {broken ? say`, breaks a limit` : ""}
      </span>
    </button>
  );
}

/** When somebody is on the farm, and the changes that ask for a person; clay where nobody is there. */
function People({ plan, sets, span }: { plan: Schemas["PlanContent"]; sets: PlannedSet[]; span: Span }) {
  if (plan.people.length === 0) return null;
  const there = plan.people.flatMap((p) => p.there);
  const changes = sets
    .filter((s) => s.by_hand && s.state !== "running")
    .flatMap((s) => [s.start, s.end])
    .filter((at) => share(at, span) >= 0 && share(at, span) <= 1);
  const alone = changes.filter((at) => !there.some(([from = "", to = ""]) => from <= at && at <= to));
  return (
    <section aria-label={say`People`} className="flex">
      <div className="w-[104px] shrink-0 pr-2">
        <p className="font-bold">{say`People`}</p>
        <p className="secondary text-[12px]!">{plan.people.map((p) => p.name).join(", ")}</p>
      </div>
      <div className="relative h-9 grow">
        <span className="absolute inset-x-0 top-3 border-t border-rule" />
        {plan.people.flatMap((p) =>
          p.there.map(([from = "", to = ""]) => (
            <span
              key={`${p.name} ${from}`}
              title={p.name}
              className="absolute top-[10px] h-1 bg-ink"
              style={{
                left: `${100 * share(from, span)}%`,
                width: `${100 * (share(to, span) - share(from, span))}%`,
              }}
            />
          )),
        )}
        {changes.map((at, n) => (
          <span
            // biome-ignore lint/suspicious/noArrayIndexKey: two sets may change at the same moment
            key={`${at} ${n}`}
            className={`absolute top-1 h-4 w-0.5 ${alone.includes(at) ? "bg-clay" : "bg-ink"}`}
            style={{ left: `${100 * share(at, span)}%` }}
          />
        ))}
        <p className={`absolute top-5 text-[12px] ${alone.length > 0 ? "text-clay" : "text-ink-2"}`}>
          {alone.length > 0
            ? say`${alone.length} ${alone.length === 1 ? say`change` : say`changes`} with nobody there`
            : say`${changes.length} ${changes.length === 1 ? say`change` : say`changes`} by hand`}
        </p>
      </div>
    </section>
  );
}
