import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react";
import { useSearchParams } from "react-router";
import { Batches } from "./Batches";
import { useBench } from "./queries";
import { Register } from "./Register";
import { Tubes } from "./Tubes";
import { Work } from "./Work";

const TABS = ["register", "batches", "work", "tubes"] as const;
const TITLES = { register: "Register", batches: "Batches", work: "Conditioning and service", tubes: "Tubes" };

/** Sensors as things: what there is, which can be trusted, what is being done to them. */
export function BenchPage() {
  const bench = useBench();
  const [params, setParams] = useSearchParams();
  if (bench.isPending) return <p className="secondary py-6">Opening …</p>;
  if (bench.isError) return <p className="py-6">{bench.error.message}</p>;
  const chosen = Math.max(0, TABS.indexOf((params.get("tab") ?? "register") as (typeof TABS)[number]));
  return (
    <div className="py-1">
      <h1>{sentence(bench.data)}</h1>
      <TabGroup
        selectedIndex={chosen}
        onChange={(i) => setParams({ tab: TABS[i] ?? "register" }, { replace: true })}
      >
        <TabList className="mt-3 flex flex-wrap gap-x-6 border-b border-rule">
          {TABS.map((tab) => (
            <Tab
              key={tab}
              className="border-b-[3px] border-transparent py-1.5 data-selected:border-ink data-selected:font-bold"
            >
              {TITLES[tab]}
            </Tab>
          ))}
        </TabList>
        <TabPanels className="mt-4">
          <TabPanel>
            <Register bench={bench.data} />
          </TabPanel>
          <TabPanel>
            <Batches bench={bench.data} />
          </TabPanel>
          <TabPanel>
            <Work bench={bench.data} />
          </TabPanel>
          <TabPanel>
            <Tubes />
          </TabPanel>
        </TabPanels>
      </TabGroup>
    </div>
  );
}

function sentence(bench: import("./queries").Bench): string {
  const count = (state: string) => bench.devices.filter((d) => d.state === state).length;
  if (bench.devices.length === 0) return "The bench is empty: write your first sensors into the register";
  const parts = count("in the ground") ? [`${count("in the ground")} in the ground`] : [];
  const stock = count("in store") + count("ready");
  if (stock) parts.push(`${stock} in stock`);
  if (count("on the bench")) parts.push(`${count("on the bench")} on the bench`);
  if (count("rejected")) parts.push(`${count("rejected")} rejected`);
  return `Sensors: ${parts.join(", ")}`;
}
