import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { Refusal } from "../../api/client";
import { useFarm } from "../../app/farm";
import { say } from "../../lib/words";
import { type Draft, documentOf, keyOf, refusalsByField } from "./draft";
import { BlockPart, FarmPart, SoilPart, StationPart, SystemPart } from "./parts";
import { useApply, useChoices } from "./queries";

const EMPTY: Draft = {
  farmName: "",
  timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
  units: "metric",
  name: "",
  crop: "",
  area: "",
  rootDepth: "",
  allowable: "",
  horizons: [{ id: 1, bottom: "120", texture: "loam", stones: "0" }],
  organic: "1",
  kind: "drip",
  moving: {},
  efficiency: "90",
  flow: "",
  spacing: "",
  lineSpacing: "",
  wetted: "",
  minSet: "",
  maxSet: "",
  station: "probe",
  depths: "",
  rawUnit: "%",
};

/** One page that makes a block with its soil, system, station and sensors. */
export function SetupPage() {
  const farm = useFarm();
  const choices = useChoices();
  const apply = useApply();
  const [draft, setDraft] = useState<Draft>({ ...EMPTY, units: farm.units });
  const [refused, setRefused] = useState<Record<string, string>>({});
  const [made, setMade] = useState<string>();
  const change = (part: Partial<Draft>) => setDraft((before) => ({ ...before, ...part }));
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    const key = keyOf(draft.name);
    if (farm.blocks.some((b) => b.key === key)) {
      setRefused({ name: say`there is a block of this name already` });
      return;
    }
    try {
      await apply.mutateAsync(documentOf(draft, !farm.set_up));
      setMade(key);
      setRefused({});
    } catch (error) {
      setRefused(
        refusalsByField(error instanceof Refusal ? error.errors : [{ path: "", reason: String(error) }]),
      );
    }
  };
  if (made) return <Made blockKey={made} name={draft.name} again={() => setMade(undefined)} />;
  const shared = { draft, change, refused, choices: choices.data };
  return (
    <form className="max-w-5xl py-1" onSubmit={submit} noValidate>
      <h1>{farm.set_up ? say`Set up a block` : say`Set up the farm and its first block`}</h1>
      <p className="secondary mt-1 max-w-2xl">{say`Everything here can be changed later, on the block's own set-up pages.`}</p>
      {!farm.set_up && <FarmPart {...shared} />}
      <BlockPart {...shared} />
      <SoilPart {...shared} />
      <SystemPart {...shared} />
      <StationPart {...shared} />
      {Object.keys(refused).length > 0 && (
        <p
          role="alert"
          className="mt-4 font-bold text-clay"
        >{say`Nothing was saved: ${refused[""] || say`see the marked entries.`}`}</p>
      )}
      <button
        type="submit"
        className="mt-5 rounded-sheet bg-ink px-6 py-2 font-bold text-panel"
        disabled={apply.isPending}
      >{say`Save block`}</button>
    </form>
  );
}

function Made({ blockKey, name, again }: { blockKey: string; name: string; again: () => void }) {
  return (
    <div className="max-w-2xl py-4" role="status">
      <h1>{say`${name} is set up.`}</h1>
      <p className="mt-2">{say`Now bring in readings: a logger file with one column a sensor.`}</p>
      <div className="mt-4 flex flex-wrap gap-3">
        <Link
          to="/import"
          className="rounded-sheet bg-clay px-4 py-1.5 font-bold text-panel"
        >{say`Import a logger file`}</Link>
        <Link
          to={`/block/${blockKey}`}
          className="rounded-sheet border border-ink px-4 py-1.5 font-bold"
        >{say`Look at ${name}`}</Link>
        <button
          type="button"
          className="rounded-sheet border border-ink px-4 py-1.5"
          onClick={again}
        >{say`Another block`}</button>
      </div>
    </div>
  );
}
