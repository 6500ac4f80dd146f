import { useState } from "react";
import type { BlockContent, Schemas } from "../../api/client";
import { useUnits } from "../../app/farm";
import { Ladder } from "../../charts/ladder/Ladder";
import { Section } from "../../charts/Section";
import { day, offsetSeconds } from "../../lib/dates";
import { depthWithError } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { TableView } from "../../ui/TableView";
import { ManagedDepth } from "./ManagedDepth";
import { sectionTable, tracesTable } from "./tables";

const SPANS = [14, 28, 60, 150, 365, 1100];
const SPAN_WORDS: Record<number, string> = { 365: say`a year`, 1100: say`3 years` };
/** A drawing stands beside what is said of it, from the first line on. */
const DRAWN = "min-[1000px]:row-span-2 min-[1000px]:row-start-1";
type Found = Schemas["ProfileContent"] | undefined;

interface ProfileProps {
  content: BlockContent;
  found: Found;
  days: number;
  setDays: (days: number) => void;
}

/** The section with its days ahead on the left, the ladder in the middle. */
export function Profile({ content, found, days, setDays }: ProfileProps) {
  const [chosen, setChosen] = useState(0);
  const units = useUnits();
  const offset = offsetSeconds(content.as_of);
  const station = content.stations[chosen] ?? content.stations[0];
  if (!station)
    return (
      <p className="min-[1000px]:col-span-2 min-[1000px]:row-start-1">{say`This block has no station yet.`}</p>
    );
  const profile = found?.stations.find((s) => s.key === station.key);
  return (
    <>
      <section aria-label={say`Section`} className={`${DRAWN} min-[1000px]:col-start-1`}>
        {content.stations.length > 1 && (
          <Stations
            stations={content.stations}
            wetted={content.advice.wetted_fraction}
            chosen={station}
            choose={setChosen}
          />
        )}
        <AheadSection content={content} station={station} profile={profile} offset={offset} />
        {station.why_not && <p className="mt-2">{say`Not used: ${station.why_not}.`}</p>}
        {profile?.why_not && <p className="secondary mt-2">{say`Uptake by depth: ${profile.why_not}.`}</p>}
        {profile?.managed_depth_cm != null && (
          <ManagedDepth
            blockKey={content.advice.key}
            depthCm={profile.managed_depth_cm}
            why={profile.managed_why}
          />
        )}
        {content.advice.not_trusted.map((note) => (
          <p key={note} className="mt-2">
            <b>{say`Check:`}</b> {note}
          </p>
        ))}
      </section>
      <section aria-label={say`Ladder`} className={`${DRAWN} min-w-0 min-[1000px]:col-start-2`}>
        <div className="secondary no-print mb-1 flex flex-wrap justify-end gap-3">
          <TableView table={() => tracesTable(content, station, offset, units)} />
          <span className="grow" />
          {SPANS.map((n) => (
            <button
              key={n}
              type="button"
              aria-pressed={n === days}
              className={n === days ? "font-bold text-ink underline" : ""}
              onClick={() => setDays(n)}
            >
              {SPAN_WORDS[n] ?? say`${n} days`}
            </button>
          ))}
        </div>
        <Ladder
          content={content}
          station={station}
          wettings={found?.wettings ?? []}
          seenRootsCm={profile?.seen_root_depth_cm ?? null}
          offset={offset}
          units={units}
        />
      </section>
    </>
  );
}

interface StationsProps {
  stations: Schemas["StationOut"][];
  chosen: Schemas["StationOut"];
  wetted: number;
  choose: (index: number) => void;
}

/** The stations with what each says is missing: how far they agree. */
function Stations({ stations, chosen, wetted, choose }: StationsProps) {
  const units = useUnits();
  return (
    <div className="mb-1 flex flex-wrap gap-x-4" role="tablist" aria-label={say`Stations`}>
      {stations.map((s, i) => (
        <button
          key={s.key}
          type="button"
          role="tab"
          aria-selected={s === chosen}
          className={`border-b-2 text-left ${s === chosen ? "border-ink" : "border-transparent text-ink-2"}`}
          onClick={() => choose(i)}
        >
          <span className={s === chosen ? "font-bold" : ""}>{s.name}</span>
          <span className="secondary block">
            {s.depletion_mm === null
              ? say`left out`
              : say`short of full by ${depthWithError(s.depletion_mm, s.error_mm ?? 0, wetted, units)}`}
          </span>
        </button>
      ))}
    </div>
  );
}

interface AheadProps {
  content: BlockContent;
  station: Schemas["StationOut"];
  profile: Schemas["StationProfileOut"] | undefined;
  offset: number;
}

function AheadSection({ content, station, profile, offset }: AheadProps) {
  const units = useUnits();
  const [ahead, setAhead] = useState<number>();
  const last = content.ahead_at.length - 1;
  const index = ahead === undefined ? undefined : Math.min(ahead, last);
  const instant = index === undefined ? content.projected_at : content.ahead_at[index];
  const when = instant ? day(new Date((instant + offset) * 1000)) : "";
  return (
    <>
      <p className="secondary">{sayWith`${<b className="text-ink">{say`Section.`}</b>} Each tray is as wide as the water its layer can hold${when ? say`; dashed: ${when} if left alone.` : "."}`}</p>
      {last > 0 && (
        <label className="secondary no-print flex items-center gap-2">
          <span>{say`look ahead`}</span>
          <input
            type="range"
            min={0}
            max={last}
            value={index ?? nearestTo(content.ahead_at, content.projected_at)}
            aria-valuetext={when}
            className="grow accent-deep"
            onChange={(e) => setAhead(Number(e.target.value))}
          />
        </label>
      )}
      {station.layers.length > 0 && (
        <Section
          layers={station.layers}
          rootDepthCm={content.advice.root_depth_cm}
          units={units}
          dayAhead={index}
          uptake={profile?.uptake ?? []}
          seenRootsCm={profile?.seen_root_depth_cm ?? null}
        />
      )}
      <p className="secondary no-print">
        <TableView table={() => sectionTable(content, station, profile, units)} />
      </p>
    </>
  );
}

function nearestTo(instants: number[], wanted: number | null): number {
  if (wanted === null) return 0;
  const found = instants.findIndex((at) => at >= wanted - 3600);
  return found < 0 ? instants.length - 1 : found;
}
