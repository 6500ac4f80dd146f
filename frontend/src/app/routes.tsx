import { createBrowserRouter } from "react-router";
import { RoundPage } from "../features/round/RoundPage";
import { Shell } from "./Shell";

const waiting = () => <p className="secondary p-6">Opening …</p>;

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
        path: "import",
        lazy: async () => ({ Component: (await import("../features/import/ImportPage")).ImportPage }),
      },
      {
        path: "setup",
        lazy: async () => ({ Component: (await import("../features/setup/SetupPage")).SetupPage }),
      },
      {
        path: "*",
        Component: () => <p className="p-6">There is no such page. The Round is where the day starts.</p>,
      },
    ],
  },
]);
