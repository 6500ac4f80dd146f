import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { EnterPage } from "./EnterPage";
import { GrowthPage } from "./GrowthPage";
import type { Growth } from "./queries";

afterEach(() => {
  cleanup();
  localStorage.clear();
  vi.unstubAllGlobals();
});

const T = 1_783_000_000;
const GROWTH: Growth = {
  trees: 0,
  signal: null,
  signal_words: "",
  verdict: "",
  verdict_words: "",
  measure_again_at: null,
  harvest: null,
  block: "hoya",
  name: "Hoya",
  as_of: "2026-07-14T06:00+02:00",
  share: 0.5,
  plants: ["1", "2"],
  usual_plants: 20,
  last_lengths_mm: { "1": 400, "2": 410 },
  last_at: "2026-07-13T07:00+02:00",
  rates: [
    { at: T, rate_mm_d: 20, error_mm_d: 1, plants: 20, shrank: ["7"] },
    { at: T + 86400, rate_mm_d: 9, error_mm_d: 1, plants: 20, shrank: [] },
  ],
  cycles: [
    {
      wetted_at: T - 86400,
      peak_at: T,
      peak_mm_d: 20,
      half_at: T + 80000,
      reading_mm: 52,
      error_mm: 3,
      words: "",
    },
    {
      wetted_at: T + 90000,
      peak_at: null,
      peak_mm_d: null,
      half_at: null,
      reading_mm: null,
      error_mm: null,
      words: "1 growth rates after the wetting; 5 are wanted",
    },
  ],
  threshold_mm: 52,
  threshold_error_mm: 3,
  words: "1 dry-down; later ones: 0 agree, 0 do not",
  depletion_times: [T, T + 86400],
  depletion_mm: [30, 55],
  trunk_sensor: "hoya/a/10.trunk",
  trunk: [
    { day: "2026-07-12", shrinkage_mm: 0.15, growth_mm: 0.02 },
    { day: "2026-07-13", shrinkage_mm: 0.2, growth_mm: null },
  ],
  fruit: [
    {
      day: "2026-07-10",
      mean_mm: 50,
      error_mm: 0.5,
      count: 20,
      path_mm: 54,
      behind_mm: 4,
      words: "4.0 mm behind the path",
    },
  ],
  target: { first_day: "2026-06-15", first_mm: 30, harvest: "2026-08-01", target_mm: 80 },
};

const at = (path: string, growth: Growth = GROWTH) => {
  const { asked } = answerWith({
    "/api/blocks/hoya/growth": growth,
    "/api/farm": { created: {}, changed: {}, unchanged: {} },
  });
  show(
    <Routes>
      <Route path="/block/:key/growth" element={<GrowthPage />} />
      <Route path="/block/:key/growth/enter" element={<EnterPage />} />
    </Routes>,
    FARM,
    path,
  );
  return { asked };
};

describe("the growth page", () => {
  it("says the threshold, each dry-down, the trunk and the fruit", async () => {
    at("/block/hoya/growth");
    expect(await screen.findByText("52 mm ± 3 mm in the wetted soil", { selector: "b" })).toBeTruthy();
    expect(screen.getByText(/5 are wanted/)).toBeTruthy();
    expect(screen.getByText(/plant 7 on/)).toBeTruthy();
    expect(screen.getByText(/4.0 mm behind the path/)).toBeTruthy();
    expect(screen.getByRole("img", { name: /Trunk, last 2 days: shrinkage to 0.20 mm/ })).toBeTruthy();
    expect(screen.getByRole("img", { name: /Growth rate, 2 days/ })).toBeTruthy();
  });

  it("teaches the measuring while there is none", async () => {
    at("/block/hoya/growth", {
      ...GROWTH,
      rates: [],
      cycles: [],
      threshold_mm: null,
      trunk_sensor: null,
      target: null,
      fruit: [],
    });
    expect(await screen.findByText(/Mark about 20 plants/)).toBeTruthy();
    expect(screen.getByText(/No target size is set/)).toBeTruthy();
  });

  it("keeps a fruit sample", async () => {
    const { asked } = at("/block/hoya/growth");
    fireEvent.change(await screen.findByLabelText("Today's diameters, mm"), {
      target: { value: "51 52,5 50" },
    });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = await sentTo(asked, "/api/farm");
    expect(body).toMatchObject({
      fruit_samples: [{ block: "hoya", on: "2026-07-14", diameters_mm: [51, 52.5, 50] }],
    });
  });
});

describe("stems on the phone", () => {
  it("go plant by plant, ask about odd lengths, stay on the device and are sent together", async () => {
    const { asked } = at("/block/hoya/growth/enter");
    for (const digit of "39") fireEvent.click(await screen.findByRole("button", { name: digit }));
    expect(screen.getByText(/Shorter than last time/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "delete the last digit" }));
    fireEvent.click(screen.getByRole("button", { name: "delete the last digit" }));
    for (const digit of "415") fireEvent.click(screen.getByRole("button", { name: digit }));
    expect(localStorage.getItem("stems hoya 2026-07-14")).toBe('{"1":"415"}');
    fireEvent.click(screen.getByRole("button", { name: "Next plant" }));
    for (const digit of "900") fireEvent.click(screen.getByRole("button", { name: digit }));
    expect(screen.getByText(/490.0 mm more than last time/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Save 2 of 2" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = await sentTo(asked, "/api/farm");
    expect(body).toMatchObject({
      growth_days: [{ key: "hoya-20260714", lengths_mm: { "1": 415, "2": 900 } }],
    });
    await waitFor(() => expect(localStorage.getItem("stems hoya 2026-07-14")).toBeNull());
  });
});
