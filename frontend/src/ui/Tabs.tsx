import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react";
import type { ReactNode } from "react";

interface TabsProps<T extends string> {
  names: readonly T[];
  titles: Record<T, string>;
  chosen: number;
  choose: (name: T) => void;
  children: ReactNode[];
}

/** Tabs under one line; a panel a tab, in the order of the names. */
export function Tabs<T extends string>({ names, titles, chosen, choose, children }: TabsProps<T>) {
  return (
    <TabGroup selectedIndex={chosen} onChange={(i) => choose(names[i] ?? (names[0] as T))}>
      <TabList className="mt-3 flex flex-wrap gap-x-6 border-b border-rule">
        {names.map((name) => (
          <Tab
            key={name}
            className="border-b-[3px] border-transparent py-1.5 data-selected:border-ink data-selected:font-bold"
          >
            {titles[name]}
          </Tab>
        ))}
      </TabList>
      <TabPanels className="mt-4">
        {children.map((panel, i) => (
          <TabPanel key={names[i]}>{panel}</TabPanel>
        ))}
      </TabPanels>
    </TabGroup>
  );
}
