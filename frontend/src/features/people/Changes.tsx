import { useState } from "react";
import { useSearchParams } from "react-router";
import { useUnits } from "../../app/farm";
import { clock, dayMonth, wall } from "../../lib/dates";
import { type QuantityName, show, type UnitSystem } from "../../lib/units";
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
          label="About"
          hint="a block, block/station, block/station/sensor"
          value={about}
          onChange={(e) => setAbout(e.target.value)}
        />
        <Choice
          label="By"
          value={who}
          change={setWho}
          options={[
            { value: "", label: "anybody" },
            ...(people.data?.people ?? []).map((p) => ({ value: p.name, label: p.name })),
          ]}
        />
      </div>
      {changes.isError && <p role="alert">{changes.error.message}</p>}
      {changes.isSuccess && lines.length === 0 && <p className="mt-4">Nothing was changed.</p>}
      <ol className="mt-4">
        {lines.map((line) => (
          <ChangeLine key={line.id} line={line} />
        ))}
      </ol>
      {changes.hasNextPage && (
        <Button className="mt-3" onClick={() => void changes.fetchNextPage()}>
          Older ones
        </Button>
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
        <b>{line.subject}</b> {KINDS[line.kind] ?? line.kind} {line.what}
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
  soils: "soil",
  systems: "system",
  supplies: "supply",
  blocks: "block",
  stations: "station",
  sensors: "sensor",
  calibrations: "calibration",
  sets: "set",
  devices: "device",
  placements: "sensor in its place",
  records: "record",
  visits: "visit",
  set_choices: "picked from the audit",
  audit_rules: "rules of the audit",
  set_visits: "fault of a set",
  sensor_findings: "finding about a sensor",
  zone_acceptances: "station accepted for a block",
  stages_seen: "growth stage seen",
  rain_notes: "rain at a block",
  depth_schemes: "marks of depth",
  logger_memories: "logger read out",
  air_limits: "limits of frost and heat",
  comparisons: "comparison of two ways",
  bench_readings: "bench readings",
  plantings: "planting",
  harvests: "harvest",
  meter_readings: "meter reading",
  block_zones: "zones",
  soil_zones: "soil zones",
  payload_maps: "map of a device's messages",
  spots: "candidate spot",
  procedure_runs: "guided steps",
  channel_checks: "channel check",
  uniformity_tests: "uniformity test",
  batch_tests: "batch test",
  siting_limits: "siting limits",
  instrument_plans: "plan of sensors",
  "hand readings": "readings by hand",
  files: "file",
  verdicts: "verdict on a fault",
  gateways: "logger",
  people: "person",
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
