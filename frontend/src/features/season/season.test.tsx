import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { FarmSeasonsPage } from "./FarmSeasonsPage";
import type { FarmSeasons, Season } from "./queries";
import { SeasonPage } from "./SeasonPage";

afterEach(() => {
  cleanup();
  localStorage.clear();
  vi.unstubAllGlobals();
});

const volume = (m3: number, error_m3 = 500) => ({ m3, error_m3 });
const line = (mm: number, error_mm = 5) => ({ mm, error_mm });
const SEASON: Season = {
  key: "hoya",
  name: "Hoya",
  as_of: FARM.now,
  area_ha: 4.5,
  first_day: "2026-03-02",
  last_day: "2026-07-14",
  crop: "almond",
  variety: "third leaf",
  headline: "225 mm of the 467 mm given went below the roots of Hoya",
  why_not: "",
  plantings: [
    {
      key: "",
      crop: "almond",
      variety: "third leaf",
      purpose: "",
      first_day: "2026-02-20",
      last_day: null,
      begins: "leaf-out",
      yield_aim_t_ha: null,
      yield_t_ha: null,
      cuttings: [],
      harvests: [],
    },
  ],
  account: {
    days: 134,
    irrigation: line(467),
    lost_on_way: line(47),
    counted_rain: line(33),
    rain_mm: 60,
    use: line(259),
    below: line(225),
    store_change: line(9),
    residual: line(-40, 64),
    closes: true,
    fao_use_mm: 188,
    seen_days: 46,
    filled_days: 88,
    stress_days: 1,
    stress_mm: 2,
    over_full_days: 106,
    wet_hours: 34,
    wet_hours_read: 3216,
    wet_hours_depth_cm: 10,
    yield_share: 0.98,
    yield_source: "FAO-33 Table 24",
    volume_m3: 21015,
    money: 2788.4,
    kg_m3: null,
  },
  not_told: ["The probes saw the use of 46 of 134 days; the rest is filled by weather"],
  change: ["225 mm of 467 mm went below the roots, most of it in June: shorter sets then, or later ones"],
  days: [
    { day: "2026-03-02", irrigation_mm: 0, rain_mm: 3, use_mm: 1, below_mm: 0, storage_mm: 120 },
    { day: "2026-03-03", irrigation_mm: 20, rain_mm: 0, use_mm: null, below_mm: 9, storage_mm: null },
    { day: "2026-03-04", irrigation_mm: 0, rain_mm: 0, use_mm: 1.2, below_mm: 0, storage_mm: 131 },
  ],
  stages: [{ stage: "initial", first_day: "2026-03-02", last_day: "2026-03-04" }],
  by_stage: [{ stage: "initial", irrigation_mm: 20, rain_mm: 3, use_mm: 4, below_mm: null, stress_days: 0 }],
  allowed: null,
  full_mm: 125,
  refill_mm: 90,
};

function own() {
  const [first] = SEASON.plantings;
  if (!first) throw new Error("no planting");
  return first;
}

function page(season: Season = SEASON, path = "/block/hoya/season") {
  const answers = answerWith({
    "/api/blocks/hoya/season": season,
    "/api/session": { person: null },
    "/api/farm": { created: {}, changed: {}, unchanged: {} },
    "/api/blocks/hoya/take-back": season,
  });
  show(
    <Routes>
      <Route path="block/:key/season" element={<SeasonPage />} />
    </Routes>,
    FARM,
    path,
  );
  return answers;
}

describe("the season", () => {
  it("adds the water up, line by line, and says what to change", async () => {
    page();
    expect(await screen.findByRole("heading", { level: 1 })).toHaveProperty("textContent", SEASON.headline);
    const account = screen.getByRole("region", { name: "Water account" }).textContent;
    expect(account).toContain("Irrigation467");
    expect(account).toContain("Below the roots− 225");
    expect(account).toContain("More in store than at first− 9");
    expect(account).toContain("−40 ± 64 mm");
    expect(account).toContain("2,788 in your currency");
    expect(account).toContain("1 day of stress");
    expect(account).toContain("34 h of the upper soil near saturation (at 10 cm, of 3,216 h read)");
    expect(account).toContain("most of it in June");
    expect(account).toContain("46 of 134 days");
    expect(screen.getByRole("img", { name: /The season of Hoya/ })).toBeTruthy();
    expect(screen.getByText(/leaf-out 20 Feb/)).toBeTruthy();
  });

  it("says why there is no account", async () => {
    page({
      ...SEASON,
      account: null,
      days: [],
      change: [],
      by_stage: [],
      why_not: "the season has just begun",
    });
    expect(await screen.findByText("No account because the season has just begun.")).toBeTruthy();
  });

  it("leads to the other blocks, and shows the planting it was asked for", async () => {
    const { asked } = page(
      {
        ...SEASON,
        plantings: [...SEASON.plantings, { ...own(), key: "next", crop: "barley", first_day: "2026-07-10" }],
      },
      "/block/hoya/season?planting=next",
    );
    const link = await screen.findByRole("link", { name: "Compare with the other blocks" });
    expect(link.getAttribute("href")).toBe("/seasons");
    expect(asked.some((one) => one.url.includes("planting=next"))).toBe(true);
    fireEvent.click(screen.getByRole("button", { name: "its account" }));
    await waitFor(() => expect(asked.some((one) => one.url.endsWith("planting="))).toBe(true));
  });

  it("takes back a harvest that was entered wrongly", async () => {
    const harvest = { key: "h1", kind: "harvest" as const, day: "2026-07-12", yield_t_ha: 92, ends: true };
    const { asked } = page({ ...SEASON, plantings: [{ ...own(), harvests: [harvest] }] });
    const plantings = await screen.findByRole("region", { name: "Plantings" });
    expect(plantings.textContent).toContain("harvested 12 Jul, 92.0 t/ha");
    const [back, ...more] = screen.getAllByRole("button", { name: "take back" });
    expect(more).toHaveLength(0);
    fireEvent.click(back as HTMLElement);
    await waitFor(async () =>
      expect(await sentTo(asked, "/take-back")).toEqual({ kind: "harvests", key: "h1" }),
    );
  });

  it("keeps a cutting as it happened", async () => {
    const { asked } = page();
    fireEvent.click(await screen.findByRole("button", { name: "Harvest or cutting" }));
    fireEvent.change(screen.getByLabelText("What"), { target: { value: "cutting" } });
    fireEvent.change(screen.getByLabelText("On"), { target: { value: "2026-07-10" } });
    fireEvent.change(screen.getByLabelText("Yield, t/ha"), { target: { value: "3,5" } });
    fireEvent.click(screen.getByRole("button", { name: "Save harvest" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = (await sentTo(asked, "/api/farm")) as { harvests: object[] };
    expect(body.harvests[0]).toMatchObject({
      block: "hoya",
      kind: "cutting",
      yield_t_ha: 3.5,
      ends: false,
      valid_from: "2026-07-10",
    });
  });
});

const ROW: FarmSeasons["rows"][number] = {
  block: "hoya",
  name: "Hoya",
  planting: "p 1",
  crop: "almond",
  variety: "third leaf",
  first_day: "2026-02-20",
  last_day: null,
  begins: "leaf-out",
  stands: true,
  area_ha: 4.5,
  days: 134,
  given_mm: 467,
  rain_mm: 33,
  use_mm: 259,
  below_mm: 225,
  residual_mm: -40,
  error_mm: 64,
  stress_days: 1,
  volume_m3: 21015,
  money: 2788.4,
  yield_t_ha: null,
  yield_share: 0.98,
  kg_m3: null,
  why_not: "",
};
const SEASONS: FarmSeasons = {
  as_of: FARM.now,
  rows: [
    ROW,
    {
      ...ROW,
      block: "vega",
      name: "Vega",
      below_mm: null,
      yield_t_ha: 2.4,
      kg_m3: 0.51,
      last_day: "2026-06-30",
    },
    { ...ROW, block: "mesa", name: "Mesa", crop: "barley", given_mm: null, why_not: "nothing was read" },
  ],
  total: {
    blocks: 2,
    area_ha: 9,
    irrigation: volume(42030),
    lost_on_way: volume(4230),
    counted_rain: volume(2970),
    use: volume(23310),
    below: volume(10125),
    telling_ha: 4.5,
    below_fraction: 0.48,
    store_change: volume(-810),
    residual: volume(5175, 3000),
    money: 2788.4,
    priced: 1,
  },
  left_out: ["Mesa"],
};

function farmPage(seasons: FarmSeasons = SEASONS, path = "/seasons") {
  const answers = answerWith({ "/api/seasons": seasons, "/api/session": { person: null } });
  show(
    <Routes>
      <Route path="seasons" element={<FarmSeasonsPage />} />
    </Routes>,
    FARM,
    path,
  );
  return answers;
}

describe("the farm's seasons", () => {
  it("adds the farm up and says what is not in the sum", async () => {
    farmPage();
    const heading = await screen.findByRole("heading", { level: 1 });
    expect(heading.textContent).toBe(
      "42,030 m³ given this season; where probes tell it, 48 % of it went below the roots",
    );
    const account = screen.getByRole("region", { name: "Water account of the farm" }).textContent;
    expect(account).toContain("Less in store than at first+ 810");
    expect(account).toContain("Below the roots− 10,125");
    expect(account).toContain("of the one block whose supply has a price");
    expect(account).toContain("Not in the sum, for want of an account: Mesa.");
  });

  it("lists plantings by crop, each leading to its own account", async () => {
    farmPage(SEASONS, "/seasons?as_of=2026-07-01T06%3A00");
    const almonds = await screen.findByRole("region", { name: "almond" });
    expect(almonds.textContent).toContain("below the roots not told");
    expect(almonds.textContent).toContain("1 day of stress");
    expect(almonds.textContent).toContain("2.4 t/ha · 0.51 kg/m³");
    expect(screen.getByRole("region", { name: "barley" }).textContent).toContain(
      "No account because nothing was read.",
    );
    expect(screen.getByRole("link", { name: "Hoya" }).getAttribute("href")).toBe(
      "/block/hoya/season?planting=p%201&as_of=2026-07-01T06%3A00",
    );
  });

  it("says so when there is nothing to add up", async () => {
    farmPage({ ...SEASONS, rows: [], total: null, left_out: [] });
    expect(await screen.findByText("The farm's seasons: no water account yet")).toBeTruthy();
    expect(screen.getByText(/Nothing was planted yet/)).toBeTruthy();
  });
});
