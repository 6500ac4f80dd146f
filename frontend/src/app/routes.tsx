import { createBrowserRouter } from "react-router";
import { RoundPage } from "../features/round/RoundPage";
import { say } from "../lib/words";
import { Shell } from "./Shell";

const waiting = () => <p className="secondary p-6">{say`Opening …`}</p>;

export const router = createBrowserRouter([
  {
    path: "/",
    Component: Shell,
    HydrateFallback: waiting,
    children: [
      { index: true, Component: RoundPage },
      {
        path: "block/:key?",
        lazy: async () => ({ Component: (await import("../features/block/BlockPage")).BlockPage }),
      },
      {
        path: "block/:key/audit",
        lazy: async () => ({ Component: (await import("../features/audit/AuditPage")).AuditPage }),
      },
      {
        path: "audit",
        lazy: async () => ({ Component: (await import("../features/audit/FarmAuditPage")).FarmAuditPage }),
      },
      {
        path: "block/:key/season",
        lazy: async () => ({ Component: (await import("../features/season/SeasonPage")).SeasonPage }),
      },
      {
        path: "block/:key/map",
        lazy: async () => ({ Component: (await import("../features/map/MapPage")).MapPage }),
      },
      {
        path: "stories",
        lazy: async () => ({ Component: (await import("../features/round/StoriesPage")).StoriesPage }),
      },
      {
        path: "visits",
        lazy: async () => ({ Component: (await import("../features/round/VisitsPage")).VisitsPage }),
      },
      {
        path: "messages",
        lazy: async () => ({ Component: (await import("../features/messages/MessagesPage")).MessagesPage }),
      },
      {
        path: "data",
        lazy: async () => ({ Component: (await import("../features/data/DataPage")).DataPage }),
      },
      {
        path: "map",
        lazy: async () => ({ Component: (await import("../features/map/FarmMapPage")).FarmMapPage }),
      },
      {
        path: "block/:key/closing",
        lazy: async () => ({ Component: (await import("../features/season/ClosingPage")).ClosingPage }),
      },
      {
        path: "closing",
        lazy: async () => ({
          Component: (await import("../features/season/FarmClosingPage")).FarmClosingPage,
        }),
      },
      {
        path: "water-used",
        lazy: async () => ({ Component: (await import("../features/season/WaterUsedPage")).WaterUsedPage }),
      },
      {
        path: "seasons",
        lazy: async () => ({
          Component: (await import("../features/season/FarmSeasonsPage")).FarmSeasonsPage,
        }),
      },
      {
        path: "compare",
        lazy: async () => ({ Component: (await import("../features/compare/ComparePage")).ComparePage }),
      },
      {
        path: "block/:key/marks",
        lazy: async () => ({ Component: (await import("../features/marks/MarksPage")).MarksPage }),
      },
      {
        path: "block/:key/tension",
        lazy: async () => ({ Component: (await import("../features/marks/TensionPage")).TensionPage }),
      },
      {
        path: "block/:key/growth",
        lazy: async () => ({ Component: (await import("../features/growth/GrowthPage")).GrowthPage }),
      },
      {
        path: "block/:key/growth/enter",
        lazy: async () => ({ Component: (await import("../features/growth/EnterPage")).EnterPage }),
      },
      {
        path: "import",
        lazy: async () => ({ Component: (await import("../features/import/ImportPage")).ImportPage }),
      },
      {
        path: "setup",
        lazy: async () => ({ Component: (await import("../features/setup/SetupIndex")).SetupIndex }),
      },
      {
        path: "setup/new",
        lazy: async () => ({ Component: (await import("../features/setup/SetupPage")).SetupPage }),
      },
      {
        path: "setup/:key",
        lazy: async () => ({ Component: (await import("../features/setup/BlockEditPage")).BlockEditPage }),
      },
      {
        path: "plan",
        lazy: async () => ({ Component: (await import("../features/plan/PlanPage")).PlanPage }),
      },
      {
        path: "tonight",
        lazy: async () => ({ Component: (await import("../features/tonight/TonightPage")).TonightPage }),
      },
      {
        path: "setup/water",
        lazy: async () => ({ Component: (await import("../features/setup/WaterPage")).WaterPage }),
      },
      {
        path: "stations",
        lazy: async () => ({ Component: (await import("../features/stations/StationsPage")).StationsPage }),
      },
      {
        path: "stations/plan/:block",
        lazy: async () => ({
          Component: (await import("../features/stations/InstrumentPage")).InstrumentPage,
        }),
      },
      {
        path: "stations/siting/:block",
        lazy: async () => ({ Component: (await import("../features/stations/SitingPage")).SitingPage }),
      },
      {
        path: "stations/:block/:station",
        lazy: async () => ({ Component: (await import("../features/stations/StationPage")).StationPage }),
      },
      {
        path: "stations/:block/:station/tags",
        lazy: async () => ({ Component: (await import("../features/stations/TagsPage")).TagsPage }),
      },
      {
        path: "stations/:block/:station/check/:check?",
        lazy: async () => ({
          Component: (await import("../features/stations/ChannelCheckPage")).ChannelCheckPage,
        }),
      },
      {
        path: "stations/:block/:station/sensor/:sensor",
        lazy: async () => ({ Component: (await import("../features/stations/SensorPage")).SensorPage }),
      },
      {
        path: "handheld",
        lazy: async () => ({ Component: (await import("../features/handheld/HandheldPage")).HandheldPage }),
      },
      {
        path: "bench",
        lazy: async () => ({ Component: (await import("../features/bench/BenchPage")).BenchPage }),
      },
      {
        path: "bench/sheet/:key",
        lazy: async () => ({ Component: (await import("../features/calibrate/SheetPage")).SheetPage }),
      },
      {
        path: "bench/plan/:block",
        lazy: async () => ({ Component: (await import("../features/calibrate/PlanPage")).PlanPage }),
      },
      {
        path: "people",
        lazy: async () => ({ Component: (await import("../features/people/PeoplePage")).PeoplePage }),
      },
      {
        path: "run/:key",
        lazy: async () => ({ Component: (await import("../features/run/RunPage")).RunPage }),
      },
      {
        path: "*",
        Component: () => (
          <p className="p-6">{say`There is no such page. The Round is where the day starts.`}</p>
        ),
      },
    ],
  },
]);
