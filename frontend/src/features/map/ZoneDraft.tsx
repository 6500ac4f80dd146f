import { useState } from "react";
import { errorsOf } from "../../app/records";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { type Drafting, type DraftZone, featuresOf } from "./drafting";
import { type BlockMap, useKeepZones, type Zones } from "./queries";

interface ZoneDraftProps {
  map: BlockMap;
  zones: Zones;
  drafting: Drafting;
}

/** Zones being drawn: corners on the map, then a name, the valve and whose reading counts; kept all at once. */
export function ZoneDraft({ map, zones, drafting }: ZoneDraftProps) {
  const keep = useKeepZones(map.key);
  const [refused, setRefused] = useState("");
  const draft = drafting.zones ?? [];
  const store = async () => {
    try {
      await keep.mutateAsync({ kind: "block_zones", text: featuresOf(draft, map.plane) });
      setRefused("");
      drafting.stop();
    } catch (error) {
      setRefused(
        errorsOf(error)
          .map((e) => `${named(e.path, draft)}${e.reason}`)
          .join("; "),
      );
    }
  };
  if (drafting.corners) return null;
  return (
    <div className="no-print sheet mt-2 grid gap-3 p-3">
      {draft.map((zone, n) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a zone has no name of its own until it is given one
        <ZoneEntry key={n} zone={zone} number={n} map={map} shifts={zones.shifts} drafting={drafting} />
      ))}
      {refused && <p role="alert" className="font-bold text-clay">{say`Nothing was saved: ${refused}`}</p>}
      <div className="flex flex-wrap gap-3">
        <Button
          kind="ink"
          disabled={keep.isPending || draft.length === 1}
          onClick={() => void store()}
        >{say`Keep these zones`}</Button>
        <Button onClick={drafting.pick}>{say`Draw ${draft.length > 1 ? say`another` : say`a zone`}`}</Button>
        <Button onClick={drafting.stop}>{say`Cancel`}</Button>
      </div>
    </div>
  );
}

function named(path: string, draft: DraftZone[]): string {
  const found = /feature (\d+)/.exec(path);
  const zone = found ? draft[Number(found[1]) - 1] : undefined;
  return zone ? `${zone.name}: ` : "";
}

/** What to do while a ring is drawn: it stands above the map. */
export function Ring({ drafting }: { drafting: Drafting }) {
  const corners = drafting.corners?.length ?? 0;
  return (
    <div className="no-print sheet mt-2 max-w-[760px] p-3">
      <p>{say`Click the corners of the zone on the map, one after another. By keyboard: arrows move the cross, Enter sets a corner.`}</p>
      <div className="mt-2 flex flex-wrap gap-3">
        <Button kind="ink" disabled={corners < 3} onClick={drafting.close}>{say`Close the ring`}</Button>
        <Button disabled={corners === 0} onClick={drafting.back}>{say`Take the last corner back`}</Button>
        <Button onClick={drafting.stop}>{say`Cancel`}</Button>
      </div>
    </div>
  );
}

interface ZoneEntryProps {
  zone: DraftZone;
  number: number;
  map: BlockMap;
  shifts: string[];
  drafting: Drafting;
}

function ZoneEntry({ zone, number, map, shifts, drafting }: ZoneEntryProps) {
  const change = (part: Partial<DraftZone>) => drafting.change(number, part);
  return (
    <fieldset className="grid gap-2 border-t border-rule pt-2 first:border-0 sm:grid-cols-3">
      <legend className="sr-only">{zone.name}</legend>
      <Field
        label={zone.rings.length ? say`Name of the zone` : say`Name of what is left of the block`}
        value={zone.name}
        onChange={(e) => change({ name: e.target.value })}
      />
      {shifts.length > 0 && (
        <Choice
          label={say`Watered by itself as`}
          value={zone.shift}
          options={[{ value: "", label: say`not by itself` }, ...shifts.map((s) => ({ value: s, label: s }))]}
          change={(shift) => change({ shift })}
        />
      )}
      <Choice
        label={say`Its water is told by`}
        value={zone.station}
        options={[
          { value: "", label: say`the stations in it` },
          ...map.nodes.map((n) => ({ value: n.ref.split("/").pop() ?? n.ref, label: n.name })),
        ]}
        change={(station) => change({ station })}
      />
      {zone.station && (
        <Field
          label={say`Why it may stand for this zone though it stands elsewhere`}
          className="sm:col-span-2"
          value={zone.accepted}
          onChange={(e) => change({ accepted: e.target.value })}
        />
      )}
      {zone.rings.length > 0 && (
        <Button
          className="self-end justify-self-start"
          onClick={() => drafting.drop(number)}
        >{say`Leave ${zone.name} out`}</Button>
      )}
    </fieldset>
  );
}
