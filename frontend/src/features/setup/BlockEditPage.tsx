import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { useFarm } from "../../app/farm";
import type { FarmDocument } from "../../app/records";
import { say } from "../../lib/words";
import { Tabs } from "../../ui/Tabs";
import { CropTab } from "./CropTab";
import { LandTab } from "./LandTab";
import { useBlockSetup } from "./queries";
import { SoilTab } from "./SoilTab";
import { SystemTab } from "./SystemTab";
import { UniformityTab } from "./UniformityTab";

const TABS = ["land", "soil", "system", "crop", "uniformity"] as const;
const TITLES = {
  land: say`Land`,
  soil: say`Soil`,
  system: say`System and supply`,
  crop: say`Crop`,
  uniformity: say`Uniformity`,
};

/** A block's set-up, a tab a subject; each tab stores its own part. */
export function BlockEditPage() {
  const { key = "" } = useParams();
  const farm = useFarm();
  const navigate = useNavigate();
  const setup = useBlockSetup(key);
  const [params, setParams] = useSearchParams();
  if (setup.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (setup.isError) return <p className="py-6">{setup.error.message}</p>;
  const document = setup.data.document as unknown as Required<FarmDocument>;
  const block = document.blocks[0];
  if (!block) return null;
  const shared = { document, setup: setup.data, block };
  const chosen = Math.max(0, TABS.indexOf((params.get("tab") ?? "land") as (typeof TABS)[number]));
  return (
    <div className="py-1">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-2">
        <h1>{block.name ?? block.key}</h1>
        <select
          aria-label={say`Another block`}
          className="rounded-sheet border border-rule bg-panel px-2 py-1"
          value={key}
          onChange={(e) => navigate(`/setup/${e.target.value}?tab=${TABS[chosen]}`)}
        >
          {farm.blocks.map((b) => (
            <option key={b.key} value={b.key}>
              {b.name}
            </option>
          ))}
        </select>
        <Link className="underline" to={`/stations/plan/${key}`}>{say`what to measure`}</Link>
        <Link className="underline" to={`/stations/siting/${key}`}>{say`where to put stations`}</Link>
      </div>
      <Tabs
        key={key}
        names={TABS}
        titles={TITLES}
        chosen={chosen}
        choose={(tab) => setParams({ tab }, { replace: true })}
      >
        <LandTab {...shared} />
        <SoilTab {...shared} />
        <SystemTab {...shared} />
        <CropTab {...shared} />
        <UniformityTab {...shared} />
      </Tabs>
    </div>
  );
}
