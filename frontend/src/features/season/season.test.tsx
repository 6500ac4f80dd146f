import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import type { Season } from "./queries";
import { SeasonPage } from "./SeasonPage";

afterEach(() => {
  cleanup();
  localStorage.clear();
  vi.unstubAllGlobals();
});

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
    yield_share: 0.98,
    yield_source: "FAO-33 Table 24",
    volume_m3: 21015,
    money: 2788.4,
    kg_m3: null,
  },
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

function page(season: Season = SEASON) {
  const answers = answerWith({
    "/api/blocks/hoya/season": season,
    "/api/session": { person: null },
    "/api/farm": { created: {}, changed: {}, unchanged: {} },
  });
  show(
    <Routes>
      <Route path="block/:key/season" element={<SeasonPage />} />
    </Routes>,
    FARM,
    "/block/hoya/season",
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
    expect(account).toContain("most of it in June");
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

  it("compares with the other blocks when asked", async () => {
    page();
    fireEvent.click(await screen.findByRole("button", { name: "Compare with the other blocks" }));
    expect(await screen.findByText(/467 mm · 225 below · 1 stress days/)).toBeTruthy();
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
