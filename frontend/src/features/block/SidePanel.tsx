import { useState } from "react";
import type { BlockContent, Schemas } from "../../api/client";
import { say } from "../../lib/words";
import { Tabs } from "../../ui/Tabs";
import { Demand } from "./Demand";
import { LeftAmounts } from "./LeftAmounts";
import { LoggedSets } from "./Logged";
import { Rules } from "./Rules";
import { Wettings } from "./Wettings";
import { WhatIfWorking } from "./WhatIfWorking";

const NAMES = ["working", "wettings", "demand", "rules"] as const;
const TITLES = { working: say`Working`, wettings: say`Wettings`, demand: say`Demand`, rules: say`Rules` };

interface SideProps {
  content: BlockContent;
  found: Schemas["ProfileContent"] | undefined;
  offset: number;
  asOf: string | undefined;
}

/** What stands beside the drawings: the Working, the wettings, the demand and the rules. */
export function SidePanel({ content, found, offset, asOf }: SideProps) {
  const [chosen, setChosen] = useState<(typeof NAMES)[number]>("working");
  const key = content.advice.key;
  return (
    <div className="min-w-0 self-start min-[1000px]:col-start-3 min-[1000px]:row-start-2">
      <Tabs names={NAMES} titles={TITLES} chosen={NAMES.indexOf(chosen)} choose={setChosen}>
        <div>
          <LeftAmounts advice={content.advice} />
          <WhatIfWorking advice={content.advice} asOf={asOf} />
        </div>
        <div>
          {found ? (
            <Wettings found={found} offset={offset} />
          ) : (
            <p className="secondary">{say`Looking for wettings …`}</p>
          )}
          <LoggedSets sets={content.sets} offset={offset} />
        </div>
        <Demand blockKey={key} asOf={asOf} />
        <Rules blockKey={key} asOf={asOf} today={content.as_of.slice(0, 10)} />
      </Tabs>
    </div>
  );
}
