import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf, newKey } from "../../app/records";
import { quantity, toServer } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { RefusalNote, type Refusals, refusalsByName } from "../../ui/entries";
import { Choice, Field } from "../../ui/Field";
import { Sheet } from "../../ui/Sheet";
import { useApply, useInstruments, useStations } from "./queries";
import { depthsFrom, freeKey, SENSOR_TYPES, unitOf } from "./stationParts";

interface DialogProps {
  open: boolean;
  close: () => void;
  block?: string;
  name?: string;
  place?: { longitude: number; latitude: number };
  made?: (ref: string) => void;
}

/** A planned station: where, with which sensors, at which depths. */
export function NewStationDialog({ open, close, ...rest }: DialogProps) {
  return (
    <Sheet title={say`New station`} open={open} close={close} width="max-w-xl">
      <StationForm close={close} {...rest} />
    </Sheet>
  );
}

function StationForm({ close, block: given, name: called, place, made }: Omit<DialogProps, "open">) {
  const farm = useFarm();
  const units = useUnits();
  const navigate = useNavigate();
  const apply = useApply();
  const stations = useStations();
  const [block, setBlock] = useState(given ?? farm.blocks[0]?.key ?? "");
  const plan = useInstruments(block);
  const [name, setName] = useState(called ?? "");
  const [type, setType] = useState("profile probe");
  const [depths, setDepths] = useState("");
  const [gauge, setGauge] = useState("");
  const [inherited, setInherited] = useState(false);
  const [refused, setRefused] = useState<Refusals>({});
  const gauged = type === "tensiometer" && gauge.trim() !== "";
  const height = Number(gauge.replace(",", "."));
  const chosen = plan.data?.choices.find((c) => c.choice === plan.data.chosen) ?? plan.data?.choices[0];
  const unknown = (key: string) =>
    depthsFrom(depths).map((d) => {
      const cm = typeof d === "number" ? toServer(d, "soilDepth", units) : d;
      return {
        key: newKey("found", farm),
        valid_from: momentOf(farm).slice(0, 10),
        sensor: `${block}/${key}/${typeof cm === "number" ? Number(cm.toFixed(6)) : cm}`,
        depth_cm: null,
        note: say`inherited, nobody knows how deep`,
      };
    });
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    const found = farm.blocks.find((b) => b.key === block);
    if (!found) return;
    const taken = (stations.data?.stations ?? [])
      .filter((s) => s.block === block)
      .map((s) => s.ref.split("/")[1] ?? "");
    const key = freeKey(name || "station", taken);
    try {
      await apply.mutateAsync({
        blocks: [
          {
            key: block,
            area_ha: found.area_ha,
            crop: found.crop,
            soil: found.soil,
            stations: [
              {
                key,
                name: name || key,
                ...place,
                sensors: depthsFrom(depths).map((d) => ({
                  depth_cm: typeof d === "number" ? toServer(d, "soilDepth", units) : d,
                  type,
                  raw_unit: unitOf(type),
                  ...(gauged && typeof d === "number"
                    ? { gauge_above_cm: toServer(d + height, "soilDepth", units) }
                    : {}),
                })),
              },
            ],
          } as unknown as Schemas["BlockPart"],
        ],
        ...(inherited ? { sensor_findings: unknown(key) as never } : {}),
      });
      made?.(key);
      close();
      navigate(`/stations/${block}/${key}`);
    } catch (error) {
      setRefused(refusalsByName(errorsOf(error), ["name", "sensors", "depth_cm", "gauge_above_cm"]));
    }
  };
  return (
    <form className="mt-3 grid gap-3" noValidate onSubmit={submit}>
      <Choice
        label={say`Block`}
        value={block}
        change={setBlock}
        options={farm.blocks.map((b) => ({ value: b.key, label: b.name }))}
      />
      <Field label={say`Name`} value={name} error={refused.name} onChange={(e) => setName(e.target.value)} />
      <Choice
        label={say`Sensors`}
        value={type}
        change={setType}
        options={SENSOR_TYPES.map((t) => ({ value: t, label: t }))}
      />
      <Field
        label={say`Depths, ${quantity("soilDepth", units).unit}, from the top`}
        value={depths}
        error={refused.sensors ?? refused.depth_cm}
        onChange={(e) => setDepths(e.target.value)}
      />
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={inherited} onChange={(e) => setInherited(e.target.checked)} />
        {say`inherited: nobody knows how deep they sit (give a guess; they are watched, and never advise)`}
      </label>
      {type === "tensiometer" && (
        <Field
          label={say`Gauge above the ground, ${quantity("soilDepth", units).unit}`}
          hint={say`the water column from gauge to cup is taken off; leave empty when readings are of the cup already`}
          value={gauge}
          inputMode="decimal"
          error={refused.gauge_above_cm}
          onChange={(e) => setGauge(e.target.value)}
        />
      )}
      {chosen && (
        <button
          type="button"
          className="justify-self-start underline"
          onClick={() =>
            setDepths(
              chosen.depths_cm
                .map((d) => Number((d * quantity("soilDepth", units).factor).toFixed(1)))
                .join(" "),
            )
          }
        >{say`take ${chosen.title.toLowerCase()}`}</button>
      )}
      <RefusalNote refused={refused} />
      <div className="flex gap-3">
        <Button kind="ink" type="submit" disabled={apply.isPending}>{say`Save station`}</Button>
        <Button onClick={close}>{say`Cancel`}</Button>
      </div>
    </form>
  );
}
