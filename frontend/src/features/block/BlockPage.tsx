import { useEffect, useState } from "react";
import { Navigate, useNavigate, useParams } from "react-router";
import { LogSetDialog } from "../../app/acting/LogSetDialog";
import { OrderDialog } from "../../app/acting/OrderDialog";
import { useAsOf, useFarm, useKeepAsOf } from "../../app/farm";
import { useMay } from "../../app/session";
import { isTyping } from "../../app/shortcuts";
import { offsetSeconds } from "../../lib/dates";
import { say } from "../../lib/words";
import { BlockPlaces } from "../../ui/BlockPlaces";
import { NextStep } from "../../ui/NextStep";
import { Notices } from "../../ui/Notices";
import { Diagnoses } from "./Diagnoses";
import { FieldSays, IndexMode } from "./FieldSays";
import { Profile } from "./Profile";
import { useBlock, useProfile } from "./queries";
import { SeenDialog } from "./SeenDialog";
import { SidePanel } from "./SidePanel";
import { TitleLine } from "./TitleLine";

export function BlockPage() {
  const farm = useFarm();
  const { key } = useParams();
  const keep = useKeepAsOf();
  const first = farm.blocks[0];
  if (!first) return <Navigate to="/" replace />;
  if (!key) return <Navigate to={keep(`/block/${first.key}`)} replace />;
  return <OneBlock key={key} blockKey={key} />;
}

type Acting = "set" | "order" | "seen" | undefined;

function OneBlock({ blockKey }: { blockKey: string }) {
  const [asOf] = useAsOf();
  const [days, setDays] = useState(28);
  const [acting, setActing] = useState<Acting>();
  const keep = useKeepAsOf();
  const block = useBlock(blockKey, asOf, days);
  const profile = useProfile(blockKey, asOf, days);
  useBlockKeys(blockKey, setActing);
  if (block.isPending) return <p className="secondary py-6">{say`Reading the probes …`}</p>;
  if (block.isError) return <p className="py-6">{block.error.message}</p>;
  const { advice, as_of } = block.data;
  const dialog = { blockKey, blockName: advice.name, asOf: as_of, close: () => setActing(undefined) };
  return (
    <>
      <TitleLine
        content={block.data}
        log={() => setActing("set")}
        order={() => setActing("order")}
        seen={() => setActing("seen")}
      />
      <BlockPlaces to={keep} blockKey={blockKey} />
      {advice.group === "none" && <IndexMode blockKey={blockKey} asOf={asOf} />}
      <div className="grid gap-x-6 gap-y-3 min-[1000px]:grid-cols-[280px_minmax(0,1fr)_310px] min-[1000px]:grid-rows-[auto_1fr]">
        <div className="empty:hidden min-[1000px]:col-start-3 min-[1000px]:row-start-1">
          <Diagnoses found={profile.data?.diagnoses ?? []} />
          <Notices block={advice} withReason />
          <NextStep block={advice} />
          <FieldSays blockKey={blockKey} asOf={asOf} narrows={advice.narrows} />
        </div>
        <Profile content={block.data} found={profile.data} days={days} setDays={setDays} />
        <SidePanel content={block.data} found={profile.data} offset={offsetSeconds(as_of)} asOf={asOf} />
      </div>
      <LogSetDialog {...dialog} open={acting === "set"} />
      <OrderDialog {...dialog} open={acting === "order"} />
      {acting === "seen" && <SeenDialog {...dialog} />}
    </>
  );
}

/** j and k go to the next and previous block, s logs a set, h holds or orders. */
function useBlockKeys(blockKey: string, act: (what: Acting) => void) {
  const farm = useFarm();
  const navigate = useNavigate();
  const keep = useKeepAsOf();
  const may = useMay();
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isTyping(event) || document.querySelector("[role=dialog]")) return;
      const step = { j: 1, k: -1 }[event.key];
      const next =
        step === undefined ? undefined : farm.blocks[farm.blocks.findIndex((b) => b.key === blockKey) + step];
      if (next) navigate(keep(`/block/${next.key}`));
      const what: Acting =
        event.key === "s" && may("sets") ? "set" : event.key === "h" && may("orders") ? "order" : undefined;
      if (what) {
        event.preventDefault();
        act(what);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [farm.blocks, blockKey, navigate, keep, act, may]);
}
