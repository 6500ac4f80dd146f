import { useEffect, useState } from "react";
import { Navigate, useNavigate, useParams } from "react-router";
import type { BlockContent } from "../../api/client";
import { useAsOf, useFarm, useKeepAsOf, useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { isTyping } from "../../app/shortcuts";
import { Ladder } from "../../charts/Ladder";
import { Section } from "../../charts/Section";
import { dayMonth, offsetSeconds } from "../../lib/dates";
import { inUnits, show } from "../../lib/units";
import { adviceText } from "../../ui/adviceText";
import { FieldSays, IndexMode } from "./FieldSays";
import { LogSetDialog } from "./LogSetDialog";
import { useBlock } from "./queries";
import { WhatIfWorking } from "./WhatIfWorking";

const SPANS = [14, 28, 60, 150];

export function BlockPage() {
  const farm = useFarm();
  const { key } = useParams();
  const keep = useKeepAsOf();
  const first = farm.blocks[0];
  if (!first) return <Navigate to="/" replace />;
  if (!key) return <Navigate to={keep(`/block/${first.key}`)} replace />;
  return <OneBlock key={key} blockKey={key} />;
}

function OneBlock({ blockKey }: { blockKey: string }) {
  const [asOf] = useAsOf();
  const [days, setDays] = useState(28);
  const [logging, setLogging] = useState(false);
  const block = useBlock(blockKey, asOf, days);
  useBlockKeys(blockKey, () => setLogging(true));
  if (block.isPending) return <p className="secondary py-6">Reading the probes …</p>;
  if (block.isError) return <p className="py-6">{block.error.message}</p>;
  return (
    <>
      <TitleLine content={block.data} log={() => setLogging(true)} />
      <FieldSays blockKey={blockKey} asOf={asOf} />
      {block.data.advice.group === "none" && <IndexMode blockKey={blockKey} asOf={asOf} />}
      <div className="grid gap-6 min-[1000px]:grid-cols-[280px_minmax(0,1fr)_310px]">
        <Profile content={block.data} days={days} setDays={setDays} />
        <WhatIfWorking advice={block.data.advice} asOf={asOf} />
      </div>
      <LogSetDialog
        blockKey={blockKey}
        asOf={block.data.as_of}
        open={logging}
        close={() => setLogging(false)}
      />
    </>
  );
}

/** j and k go to the next and previous block, s logs a set. */
function useBlockKeys(blockKey: string, log: () => void) {
  const farm = useFarm();
  const navigate = useNavigate();
  const keep = useKeepAsOf();
  const mayLog = useMay()("sets");
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isTyping(event) || document.querySelector("[role=dialog]")) return;
      const step = { j: 1, k: -1 }[event.key];
      const next =
        step === undefined ? undefined : farm.blocks[farm.blocks.findIndex((b) => b.key === blockKey) + step];
      if (next) navigate(keep(`/block/${next.key}`));
      if (event.key === "s" && mayLog) {
        event.preventDefault();
        log();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [farm.blocks, blockKey, navigate, keep, log, mayLog]);
}

function TitleLine({ content, log }: { content: BlockContent; log: () => void }) {
  const { advice } = content;
  const may = useMay();
  const farm = useFarm();
  const units = useUnits();
  const navigate = useNavigate();
  const keep = useKeepAsOf();
  const about = [advice.crop, show(advice.area_ha, "area", units), advice.system].filter(Boolean).join(" · ");
  return (
    <div className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2">
      <h1>{advice.name}</h1>
      <select
        aria-label="Go to another block"
        className="secondary max-w-40 rounded-sheet border border-rule bg-paper px-1 py-0.5"
        value=""
        onChange={(e) => navigate(keep(`/block/${e.target.value}`))}
      >
        <option value="">another block</option>
        {farm.blocks.map((b) => (
          <option key={b.key} value={b.key}>
            {b.name}
          </option>
        ))}
      </select>
      <span className="text-ink-2">{about}</span>
      <span className={`ml-auto text-[15.5px] font-bold ${advice.group === "act" ? "text-clay" : ""}`}>
        {adviceText(advice, content.as_of, units)}
      </span>
      {may("sets") && (
        <button
          type="button"
          className={`rounded-sheet px-4 py-1.5 font-bold ${advice.group === "act" ? "bg-clay text-panel" : "border border-ink"}`}
          onClick={log}
        >
          Log a set
        </button>
      )}
    </div>
  );
}

interface ProfileProps {
  content: BlockContent;
  days: number;
  setDays: (days: number) => void;
}

function Profile({ content, days, setDays }: ProfileProps) {
  const [chosen, setChosen] = useState(0);
  const units = useUnits();
  const offset = offsetSeconds(content.as_of);
  const station = content.stations[chosen] ?? content.stations[0];
  if (!station) return <p className="min-[1000px]:col-span-2">This block has no station yet.</p>;
  const projected = content.projected_at && new Date((content.projected_at + offset) * 1000);
  return (
    <>
      <section aria-label="Section">
        {content.stations.length > 1 && (
          <div className="mb-1 flex gap-4" role="tablist" aria-label="Stations">
            {content.stations.map((s, i) => (
              <button
                key={s.key}
                type="button"
                role="tab"
                aria-selected={s === station}
                className={`border-b-2 ${s === station ? "border-ink font-bold" : "border-transparent text-ink-2"}`}
                onClick={() => setChosen(i)}
              >
                {s.name}
              </button>
            ))}
          </div>
        )}
        <p className="secondary">
          <b className="text-ink">Section.</b> Each tray is as wide as the water its layer can hold
          {projected ? `; dashed: ${dayMonth(projected)} if left alone.` : "."}
        </p>
        {station.layers.length > 0 && (
          <Section layers={station.layers} rootDepthCm={content.advice.root_depth_cm} units={units} />
        )}
        {station.why_not && <p className="mt-2">Not used: {station.why_not}.</p>}
        {content.advice.not_trusted.map((note) => (
          <p key={note} className="mt-2">
            <b>Check:</b> {inUnits(note, units)}
          </p>
        ))}
      </section>
      <section aria-label="Ladder" className="min-w-0">
        <div className="secondary mb-1 flex justify-end gap-3">
          {SPANS.map((n) => (
            <button
              key={n}
              type="button"
              aria-pressed={n === days}
              className={n === days ? "font-bold text-ink underline" : ""}
              onClick={() => setDays(n)}
            >
              {n} days
            </button>
          ))}
        </div>
        <Ladder content={content} station={station} offset={offset} units={units} />
      </section>
    </>
  );
}
