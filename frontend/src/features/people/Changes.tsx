import { useState } from "react";
import { useSearchParams } from "react-router";
import { useUnits } from "../../app/farm";
import { clock, dayMonth, wall } from "../../lib/dates";
import { type QuantityName, show, type UnitSystem } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { type Change, useChanges, usePeople } from "./queries";

/** Who changed what and when, newest first, of the whole farm or of one thing. */
export function Changes() {
  const [params] = useSearchParams();
  const [about, setAbout] = useState(params.get("about") ?? "");
  const [who, setWho] = useState("");
  const people = usePeople();
  const changes = useChanges(about.trim(), who);
  const lines = changes.data?.pages.flatMap((page) => page.changes) ?? [];
  return (
    <>
      <div className="flex flex-wrap items-start gap-4">
        <Field
          label={say`About`}
          hint={say`a block, block/station, block/station/sensor`}
          value={about}
          onChange={(e) => setAbout(e.target.value)}
        />
        <Choice
          label={say`By`}
          value={who}
          change={setWho}
          options={[
            { value: "", label: say`anybody` },
            ...(people.data?.people ?? []).map((p) => ({ value: p.name, label: p.name })),
          ]}
        />
      </div>
      {changes.isError && <p role="alert">{changes.error.message}</p>}
      {changes.isSuccess && lines.length === 0 && <p className="mt-4">{say`Nothing was changed.`}</p>}
      <ol className="mt-4">
        {lines.map((line) => (
          <ChangeLine key={line.id} line={line} />
        ))}
      </ol>
      {changes.hasNextPage && (
        <Button className="mt-3" onClick={() => void changes.fetchNextPage()}>{say`Older ones`}</Button>
      )}
    </>
  );
}

function ChangeLine({ line }: { line: Change }) {
  const units = useUnits();
  const at = wall(line.at);
  return (
    <li className="grid gap-x-4 border-t border-rule py-1.5 sm:grid-cols-[8.5rem_10rem_1fr]">
      <span className="figure text-ink-2">
        {dayMonth(at)} {clock(at)}
      </span>
      <span>{line.who}</span>
      <span>
        <b>{line.subject}</b> {KINDS[line.kind] ?? line.kind} {sayCode(line.what)}
        <span className="block text-ink-2">
          {line.values
            .map((value) => valueWords(value, units))
            .filter(Boolean)
            .join(" · ")}
        </span>
      </span>
    </li>
  );
}

const KINDS: Record<string, string> = {
  farm: "",
  soils: say`soil`,
  systems: say`system`,
  supplies: say`supply`,
  blocks: say`block`,
  stations: say`station`,
  sensors: say`sensor`,
  calibrations: say`calibration`,
  sets: say`set`,
  devices: say`device`,
  placements: say`sensor in its place`,
  records: say`record`,
  visits: say`visit`,
  set_choices: say`picked from the audit`,
  audit_rules: say`rules of the audit`,
  set_visits: say`fault of a set`,
  sensor_findings: say`finding about a sensor`,
  zone_acceptances: say`station accepted for a block`,
  stages_seen: say`growth stage seen`,
  rain_notes: say`rain at a block`,
  depth_schemes: say`marks of depth`,
  logger_memories: say`logger read out`,
  air_limits: say`limits of frost and heat`,
  comparisons: say`comparison of two ways`,
  bench_readings: say`bench readings`,
  plantings: say`planting`,
  harvests: say`harvest`,
  meter_readings: say`meter reading`,
  block_zones: say`zones`,
  soil_zones: say`soil zones`,
  payload_maps: say`map of a device's messages`,
  spots: say`candidate spot`,
  procedure_runs: say`guided steps`,
  channel_checks: say`channel check`,
  uniformity_tests: say`uniformity test`,
  batch_tests: say`batch test`,
  siting_limits: say`siting limits`,
  instrument_plans: say`plan of sensors`,
  "hand readings": say`readings by hand`,
  files: say`file`,
  verdicts: say`verdict on a fault`,
  gateways: say`logger`,
  people: say`person`,
};
const LONGEST = 60;
const INSTANT = /^\d{4}-\d\d-\d\dT\d\d:\d\d/;

/** Quantities of what is kept, by the end of its name. */
const ENDINGS: [string, QuantityName | null][] = [
  ["_mm_h", "rate"],
  ["_m3_h", "supplyFlow"],
  ["_l_h", "flow"],
  ["_l_s", "inflow"],
  ["_kpa", "tension"],
  ["_cm", "soilDepth"],
  ["_mm", "depth"],
  ["_ha", "area"],
  ["_ds_m", null],
  ["_m", "spacing"],
];

function valueWords({ name, before, after }: Change["values"][number], units: UnitSystem): string {
  const [end, quantity] = ENDINGS.find(([one]) => name.endsWith(one)) ?? ["", null];
  const short = (text: string) => {
    if (quantity && text !== "" && Number.isFinite(Number(text))) return show(Number(text), quantity, units);
    if (INSTANT.test(text)) return text.slice(0, 16).replace("T", " ");
    return text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : text;
  };
  if (
    name.endsWith("_id") ||
    (before === null && (after === null || after === "" || after === "[]" || after === "{}"))
  )
    return "";
  const called = (quantity ? name.slice(0, -end.length) : name).replaceAll("_", " ");
  if (before === null) return `${called} ${short(after ?? "")}`;
  return `${called} ${short(before) || "–"} → ${short(after ?? "–")}`;
}
