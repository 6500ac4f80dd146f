import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useFarm } from "../../app/farm";
import { newKey } from "../../app/records";
import { FarmMap, type LonLat } from "../../charts/FarmMap";
import { say, sayCode, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { useApply, useSiting } from "./queries";
import { SitingRules } from "./SitingRules";
import { SpotSheet } from "./SpotSheet";

/** Candidate spots of a block, each held against the rules of its system. */
export function SitingPage() {
  const { block = "" } = useParams();
  const farm = useFarm();
  const navigate = useNavigate();
  const siting = useSiting(block);
  return (
    <div className="py-1">
      <div className="flex flex-wrap items-baseline gap-x-5">
        <h1>{say`Where to put stations`}</h1>
        <select
          aria-label={say`Block`}
          className="rounded-sheet border border-rule bg-panel px-2 py-1"
          value={block}
          onChange={(e) => navigate(`/stations/siting/${e.target.value}`)}
        >
          {farm.blocks.map((b) => (
            <option key={b.key} value={b.key}>
              {b.name}
            </option>
          ))}
        </select>
        <Link className="underline" to={`/stations/plan/${block}`}>{say`what to measure`}</Link>
      </div>
      {siting.isError && <p className="mt-3">{siting.error.message}</p>}
      {siting.data && <Siting key={block} block={block} content={siting.data} />}
    </div>
  );
}

function Siting({ block, content }: { block: string; content: Schemas["SitingContent"] }) {
  const farm = useFarm();
  const apply = useApply();
  const [chosen, setChosen] = useState<string | undefined>(content.spots[0]?.key);
  const [placing, setPlacing] = useState(false);
  const spot = content.spots.find((s) => s.key === chosen) ?? content.spots[0];
  const add = async (at?: LonLat) => {
    const key = newKey("spot", farm);
    const name = say`spot ${content.spots.length + 1}`;
    const place = at ? { longitude: at[0], latitude: at[1] } : {};
    await apply.mutateAsync({ spots: [{ key, block, name, facts: {}, ...place }] });
    setPlacing(false);
    setChosen(key);
  };
  return (
    <div className="mt-3 grid gap-6 lg:grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)]">
      <div>
        {content.outline ? (
          <FarmMap
            label={say`Map of the candidate spots`}
            className="h-80"
            outlines={[
              { key: block, name: "", corners: content.outline as unknown as LonLat[], active: true },
            ]}
            points={content.spots
              .filter((s) => s.longitude !== null)
              .map((s) => ({
                key: s.key,
                name: s.name,
                at: [s.longitude, s.latitude] as LonLat,
                look: s.chosen
                  ? ("full" as const)
                  : s.word === "not here"
                    ? ("gone" as const)
                    : ("ring" as const),
              }))}
            onPick={setChosen}
            {...(placing ? { onPlace: (at: LonLat) => void add(at) } : {})}
          />
        ) : (
          <p>{sayWith`The block has no outline yet, so distances to its edge have to be typed. ${<Link className="underline" to={`/setup/${block}`}>{say`Draw it`}</Link>}`}</p>
        )}
        <div className="mt-2 flex flex-wrap gap-3">
          {content.outline && (
            <Button onClick={() => setPlacing(!placing)}>
              {placing ? say`Click on the map …` : say`Spot on the map`}
            </Button>
          )}
          <Button onClick={() => void add()}>{say`Spot without a place`}</Button>
        </div>
        <ul className="mt-3">
          {content.spots.map((s) => (
            <li key={s.key} className="border-t border-rule">
              <button
                type="button"
                aria-current={s.key === spot?.key}
                className={`grid w-full grid-cols-[1fr_auto_auto] gap-4 py-1.5 text-left ${s.key === spot?.key ? "bg-panel font-bold" : ""}`}
                onClick={() => setChosen(s.key)}
              >
                <span>
                  {s.name}
                  {s.chosen ? say` · chosen` : ""}
                </span>
                <span>{sayCode(s.word)}</span>
                <span className="figure">{s.share === null ? "" : `${Math.round(s.share * 100)} %`}</span>
              </button>
            </li>
          ))}
        </ul>
        {content.cautions.map((c) => (
          <p key={c} className="mt-2">
            <b>{say`Check:`}</b> {c}
          </p>
        ))}
        <SitingRules rules={content.rules} />
      </div>
      {spot ? (
        <SpotSheet key={spot.key} block={block} spot={spot} rules={content.rules} />
      ) : (
        <p>{say`Mark two or three candidate spots, walk to each, and answer what is asked here.`}</p>
      )}
    </div>
  );
}
