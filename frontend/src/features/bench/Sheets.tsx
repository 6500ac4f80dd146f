import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useFarm } from "../../app/farm";
import { useDelete } from "../../app/records";
import { useMay } from "../../app/session";
import { dated } from "../../lib/dates";
import { say, sayWith } from "../../lib/words";
import { useSheets, useVersions, useWithdrawal } from "./queries";

type Version = Schemas["VersionOut"];

/** Sample sheets, and every version of the calibrations they led to. */
export function Sheets() {
  const farm = useFarm();
  const sheets = useSheets();
  const versions = useVersions();
  const remove = useDelete();
  const may = useMay();
  const names = new Map(farm.blocks.map((b) => [b.key, b.name]));
  return (
    <div className="grid gap-8 lg:grid-cols-2">
      <section aria-label={say`Sample sheets`}>
        <p>{say`A calibration turns what the wire says into water. Weigh soil beside the sensor at several moistures, dry it, and let the curves compete.`}</p>
        <ul className="mt-3">
          {(sheets.data?.sheets ?? []).map((s) => (
            <li key={s.key} className="border-b border-rule py-2">
              {sayWith`${(
                <Link className="font-bold underline" to={`/bench/sheet/${s.key}`}>
                  {s.name}
                </Link>
              )} ${s.block && names.get(s.block)}, ${s.samples} tins, ${s.raw_unit}, ${dated(s.on)}`}
              {may("sample_sheets") && (
                <button
                  type="button"
                  className="ml-3 underline"
                  onClick={() => void remove({ kind: "sample_sheets", key: s.key, name: s.name })}
                >{say`delete`}</button>
              )}
              {s.note && <p className="secondary">{s.note}</p>}
            </li>
          ))}
        </ul>
        {may("sample_sheets") && (
          <p className="mt-3">
            <Link
              className="rounded-sheet bg-ink px-4 py-1.5 font-bold text-panel"
              to="/bench/sheet/new"
            >{say`New sample sheet`}</Link>
          </p>
        )}
        <h2 className="mt-6 text-[17px] font-bold">{say`Where to sample, and how often`}</h2>
        <ul>
          {farm.blocks.map((b) => (
            <li key={b.key}>
              <Link
                className="underline"
                to={`/bench/plan/${b.key}`}
              >{say`${b.name}: plan and lab sheet`}</Link>
            </li>
          ))}
        </ul>
      </section>
      <section aria-label={say`Calibrations`}>
        <h2 className="text-[17px] font-bold">{say`Calibrations, by sensor`}</h2>
        {versions.isPending && <p className="secondary">{say`Opening …`}</p>}
        <Versions versions={versions.data?.versions ?? []} />
      </section>
    </div>
  );
}

/** Versions that say the same of many sensors, once. */
function Versions({ versions }: { versions: Version[] }) {
  const groups = new Map<string, Version[]>();
  for (const v of versions) {
    const key = [v.valid_from, v.formula, v.note, v.state, v.sensor.split("/").slice(0, 2).join("/")].join(
      "|",
    );
    groups.set(key, [...(groups.get(key) ?? []), v]);
  }
  const found = [...groups.values()].sort((a, b) =>
    (b[0]?.valid_from ?? "").localeCompare(a[0]?.valid_from ?? ""),
  );
  return (
    <ul className="mt-1">
      {found.map((group) => (
        <VersionLine key={group[0]?.id} group={group} />
      ))}
    </ul>
  );
}

function VersionLine({ group }: { group: Version[] }) {
  const withdrawal = useWithdrawal();
  const may = useMay();
  const one = group[0];
  if (!one) return null;
  const [block, station] = one.sensor.split("/");
  const depths = group.map((v) => v.sensor.split("/")[2]).join(", ");
  const taken = one.state === "withdrawn";
  const turn = async () => {
    for (const v of group) await withdrawal.mutateAsync({ id: v.id, back: taken });
  };
  return (
    <li className="border-b border-rule py-2">
      <p>{sayWith`${(
        <b className={taken ? "line-through" : ""}>
          {block}/{station} {depths}
        </b>
      )} from ${dated(one.valid_from)}: ${one.state}${
        one.rmse_theta !== null &&
        one.rmse_theta !== undefined &&
        `, ± ${(one.rmse_theta * 100).toFixed(1)} %`
      }`}</p>
      <p className="figure text-[13px]">{one.formula}</p>
      {one.note && <p className="secondary">{one.note}</p>}
      {one.entered && (
        <p className="secondary">{say`entered ${dated(one.entered)}${one.withdrawn && say`, taken back ${dated(one.withdrawn)}`}`}</p>
      )}
      {may("calibrations") && (
        <button
          type="button"
          className="underline"
          disabled={withdrawal.isPending}
          onClick={() => void turn()}
        >
          {taken ? say`bring back` : say`take back`}
        </button>
      )}
    </li>
  );
}
