import { useSearchParams } from "react-router";
import { say } from "../../lib/words";
import { Tabs } from "../../ui/Tabs";
import { Batches } from "./Batches";
import { Cells } from "./Cells";
import { useBench } from "./queries";
import { Register } from "./Register";
import { SeasonEnd } from "./SeasonEnd";
import { Sheets } from "./Sheets";
import { SingleSensors } from "./SingleSensors";
import { Tubes } from "./Tubes";
import { Work } from "./Work";

const TABS = ["register", "batches", "single", "calibration", "work", "tubes", "end"] as const;
const TITLES = {
  register: say`Register`,
  batches: say`Batches`,
  single: say`Single sensors`,
  calibration: say`Calibration`,
  work: say`Conditioning and service`,
  tubes: say`Tubes`,
  end: say`Season's end`,
};

/** Sensors as things: what there is, which can be trusted, what is being done to them. */
export function BenchPage() {
  const bench = useBench();
  const [params, setParams] = useSearchParams();
  if (bench.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (bench.isError) return <p className="py-6">{bench.error.message}</p>;
  const chosen = Math.max(0, TABS.indexOf((params.get("tab") ?? "register") as (typeof TABS)[number]));
  return (
    <div className="py-1">
      <h1>{sentence(bench.data)}</h1>
      <Tabs
        names={TABS}
        titles={TITLES}
        chosen={chosen}
        choose={(tab) => setParams({ tab }, { replace: true })}
      >
        <Register bench={bench.data} />
        <Batches bench={bench.data} />
        <div>
          <SingleSensors />
          <Cells />
        </div>
        <Sheets />
        <Work bench={bench.data} />
        <Tubes />
        <SeasonEnd />
      </Tabs>
    </div>
  );
}

function sentence(bench: import("./queries").Bench): string {
  const count = (state: string) => bench.devices.filter((d) => d.state === state).length;
  if (bench.devices.length === 0) return say`The bench is empty. Add your first sensors to the register`;
  const parts = count("in the ground") ? [say`${count("in the ground")} in the ground`] : [];
  const stock = count("in store") + count("ready");
  if (stock) parts.push(say`${stock} in stock`);
  if (count("on the bench")) parts.push(say`${count("on the bench")} on the bench`);
  if (count("rejected")) parts.push(say`${count("rejected")} rejected`);
  return say`Sensors: ${parts.join(", ")}`;
}
