import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { answerWith, FARM, show } from "../testing/support.test.helper";
import { Samples } from "./Samples";
import { SessionProvider } from "./session";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const IN = [
  { id: 3, file_name: "sample-hoya.csv" },
  { id: 5, file_name: "sample-vega.csv" },
];

it("says on every page that invented readings are in, and takes all of them out", async () => {
  const { asked } = answerWith({ "/api/imports/3": { imports: [] }, "/api/imports/5": { imports: [] } });
  show(<Samples farm={{ ...FARM, samples: IN }} />);
  expect(screen.getByRole("alert").textContent).toContain(
    "Invented readings are in (sample-hoya.csv, sample-vega.csv), to try things with. Do not water by them.",
  );
  fireEvent.click(screen.getByRole("button", { name: "Take them out" }));
  await waitFor(() => expect(asked.map((r) => `${r.method} ${new URL(r.url).pathname}`)).toHaveLength(2));
  expect(asked.map((r) => `${r.method} ${new URL(r.url).pathname}`)).toEqual([
    "DELETE /api/imports/3",
    "DELETE /api/imports/5",
  ]);
});

it("says nothing where there are none, and why one cannot be taken out", async () => {
  answerWith({});
  const { unmount } = show(<Samples farm={FARM} />);
  expect(screen.queryByRole("alert")).toBeNull();
  unmount();
  show(<Samples farm={{ ...FARM, samples: IN }} />);
  fireEvent.click(screen.getByRole("button", { name: "Take them out" }));
  expect(await screen.findByText("nothing here")).toBeTruthy();
});

it("leaves the taking out to who may", () => {
  const hand = { name: "Bo", role: "field hand", may: [], language: "en" };
  show(
    <SessionProvider session={{ person: hand, may: [] } as never}>
      <Samples farm={{ ...FARM, samples: IN }} />
    </SessionProvider>,
  );
  expect(screen.getByRole("alert")).toBeTruthy();
  expect(screen.queryByRole("button")).toBeNull();
});
