import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, momentOf } from "../../app/records";
import { useMay } from "../../app/session";
import { TwoTraces } from "../../charts/TwoTraces";
import { offsetSeconds } from "../../lib/dates";
import { depthWithError } from "../../lib/units";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { type ApplyBody, type SheetWorked, useApplyCalibration, useCompare, useWarmth } from "./queries";

interface Props {
  worked: SheetWorked;
  refs: string[];
  block: string;
}

/** Put the curve in force from a day on, after a look at what it changes. */
export function ApplyPanel({ worked, refs, block }: Props) {
  const farm = useFarm();
  const may = useMay();
  const [chosen, setChosen] = useState<string[] | null>(null);
  const [from, setFrom] = useState(momentOf(farm).slice(0, 10));
  const [warm, setWarm] = useState(false);
  const [notFor, setNotFor] = useState<string[]>([]);
  const [looking, setLooking] = useState<ApplyBody | null>(null);
  const [trouble, setTrouble] = useState("");
  const apply = useApplyCalibration();
  const picked = chosen ?? refs;
  const warmth = useWarmth(picked[0]);
  const body = bodyOf(worked, picked, from, { perDegree: warm ? warmth.data?.per_degree : null, notFor });
  if (!worked.part) return <p>{say`This curve cannot be used: it moves no calibration in use.`}</p>;
  if (refs.length === 0)
    return <p>{say`No sensor of this block gives this kind of reading: pick the block above.`}</p>;
  const put = async () => {
    if (!body) return;
    try {
      await apply.mutateAsync(body);
      setTrouble("");
      setLooking(null);
    } catch (error) {
      setTrouble(errorsOf(error)[0]?.reason ?? "");
    }
  };
  return (
    <section aria-label={say`Use from this day`} className="sheet p-4">
      <h2 className="text-[17px] font-bold">{say`Put the ${worked.shown} curve in force`}</h2>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <Field
          label={say`From`}
          type="date"
          value={from}
          onChange={(e) => setFrom(e.target.value)}
          className="w-40"
        />
        <fieldset>
          <legend className="text-[13px] font-bold">{say`For`}</legend>
          {refs.map((ref) => (
            <label key={ref} className="mr-3 whitespace-nowrap">
              <input
                type="checkbox"
                className="mr-1"
                checked={picked.includes(ref)}
                onChange={(e) =>
                  setChosen(e.target.checked ? [...picked, ref] : picked.filter((one) => one !== ref))
                }
              />
              {ref.slice(block.length + 1)}
            </label>
          ))}
        </fieldset>
      </div>
      <fieldset className="mt-2">
        <legend className="text-[13px] font-bold">{say`Not meant for`}</legend>
        {["clay", "saline", "organic"].map((soil) => (
          <label key={soil} className="mr-4">
            <input
              type="checkbox"
              className="mr-1"
              checked={notFor.includes(soil)}
              onChange={(e) =>
                setNotFor(e.target.checked ? [...notFor, soil] : notFor.filter((s) => s !== soil))
              }
            />
            {say`${soil} soil`}
          </label>
        ))}
      </fieldset>
      <p className="secondary mt-1">{say`From an earlier day its past trace becomes water too. Past advice stays as it was.`}</p>
      {warmth.data && (
        <p className="mt-2">
          <b>{say`Temperature:`}</b> {warmth.data.words}.{" "}
          {warmth.data.per_degree !== null && (
            <label>
              <input
                type="checkbox"
                className="mr-1"
                checked={warm}
                onChange={(e) => setWarm(e.target.checked)}
              />
              {say`bring readings to 20 °C by it`}
            </label>
          )}
        </p>
      )}
      <div className="mt-3 flex flex-wrap gap-3">
        <Button onClick={() => setLooking(body)} disabled={!body}>{say`Compare before and after`}</Button>
        {may("calibrations") && (
          <Button
            kind="ink"
            disabled={!body || apply.isPending}
            onClick={() => void put()}
          >{say`Use from this day`}</Button>
        )}
      </div>
      {trouble && <p className="mt-2 font-bold text-clay">{trouble}</p>}
      {apply.isSuccess && !looking && (
        <p className="mt-2">{say`In use. You can take it back under Bench, Calibration. Past advice stays as it was.`}</p>
      )}
      {looking && <Compared body={looking} />}
    </section>
  );
}

function bodyOf(
  worked: SheetWorked,
  sensors: string[],
  from: string,
  more: { perDegree: number | null | undefined; notFor: string[] },
): ApplyBody | null {
  if (!worked.part || sensors.length === 0 || !from) return null;
  const part = worked.part as Record<string, unknown>;
  const curve = part.curve as Record<string, unknown> | undefined;
  const changes = {
    ...(more.perDegree ? { per_degree: more.perDegree } : {}),
    ...(more.notFor.length > 0 ? { not_for: more.notFor } : {}),
  };
  const warmed = curve && Object.keys(changes).length > 0 ? { curve: { ...curve, ...changes } } : {};
  return { sensors, calibration: { ...part, ...warmed, valid_from: from } as ApplyBody["calibration"] };
}

function Compared({ body }: { body: ApplyBody }) {
  const farm = useFarm();
  const found = useCompare(body);
  if (found.isPending) return <p className="secondary mt-2">{say`Comparing …`}</p>;
  if (found.isError) return <p className="mt-2 font-bold text-clay">{found.error.message}</p>;
  const data = found.data;
  return (
    <div className="mt-3">
      <p>{sayWith`${<b>{data.sensor}</b>}, last four weeks`}</p>
      <TwoTraces
        times={data.times}
        before={data.before}
        after={data.after}
        offset={offsetSeconds(farm.now)}
      />
      <dl className="mt-1 grid grid-cols-[5rem_1fr] gap-x-2">
        <dt>{say`Before`}</dt>
        <dd>
          <Side side={data.block_before} />
        </dd>
        <dt>{say`After`}</dt>
        <dd className="font-bold">
          <Side side={data.block_after} />
        </dd>
      </dl>
    </div>
  );
}

function Side({ side }: { side: Schemas["SideOut"] }) {
  const units = useUnits();
  if (side.depletion_mm === null || side.depletion_mm === undefined) return <>{side.reason}</>;
  const days = side.refill_days;
  return (
    <>{say`depletion ${depthWithError(side.depletion_mm, side.error_mm ?? 0, side.wetted_fraction, units)}${
      days &&
      say`, refill in ${days[1]?.toFixed(1)} days (${days[0]?.toFixed(1)} to ${days[2]?.toFixed(1) ?? "?"})`
    }`}</>
  );
}
