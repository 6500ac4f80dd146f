import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import type { WaterUsed } from "./queries";
import { WaterUsedPage } from "./WaterUsedPage";

afterEach(() => {
  cleanup();
  localStorage.clear();
  vi.unstubAllGlobals();
});

const USED: WaterUsed = {
  farm: "Las Eras",
  as_of: FARM.now,
  first_day: "2026-01-01",
  last_day: "2026-07-14",
  volume_m3: 12500,
  area_ha: 9.5,
  supplies: [
    {
      key: "well",
      name: "Well",
      volume_m3: 12500,
      meter: {
        first_at: "2026-03-02T08:00+01:00",
        first_m3: 88000,
        last_at: "2026-07-14T05:00+02:00",
        last_m3: 101200,
        counted_m3: 13200,
        on_record_m3: 12100,
        agrees: false,
      },
      words: ["1100 m³ less on record than the meter counted"],
      allowed_m3: 30000,
      allowed_until: "2026-09-30",
    },
  ],
  blocks: [
    {
      key: "hoya",
      name: "Hoya",
      supply: "Well",
      crops: ["tomato", "onion dry"],
      area_ha: 4.5,
      sets: 12,
      measured_sets: 9,
      volume_m3: 12500,
      measured_m3: 9800,
      depth_mm: 278,
    },
  ],
  method: ["1 mm on 1 ha is 10 m³"],
};

const open = () =>
  answerWith({ "/api/water-used": USED, "/api/farm": { created: {}, changed: {}, unchanged: {} } });

describe("the report of water used", () => {
  it("accounts for the water by block, by meter, and says how", async () => {
    open();
    show(<WaterUsedPage />);
    expect(await screen.findByText("12,500 m³ used from 1 Jan 2026 to 14 Jul 2026")).toBeTruthy();
    const row = screen.getByRole("row", { name: /Hoya/ });
    expect(row.textContent).toContain("tomato, then onion dry");
    expect(row.textContent).toContain("129");
    const meter = screen.getByRole("region", { name: "Well" }).textContent;
    expect(meter).toContain("Meter on 2 Mar 2026, 08:00");
    expect(meter).toContain("13,200 m³");
    expect(meter).toContain("1100 m³ less on record than the meter counted.");
    expect(meter).toContain("Allowed to 30 Sep 2026: 30,000 m³.");
    expect(screen.getByText("1 mm on 1 ha is 10 m³.")).toBeTruthy();
  });

  it("is asked for the days that are chosen, and its table too", async () => {
    const { asked } = open();
    show(<WaterUsedPage />);
    fireEvent.change(await screen.findByLabelText("First day"), { target: { value: "2026-06-01" } });
    await waitFor(() => expect(asked.some((r) => r.url.includes("first=2026-06-01"))).toBe(true));
    expect(screen.getByRole("link", { name: "Download CSV" }).getAttribute("href")).toBe(
      "/api/water-used/table.csv?first=2026-06-01",
    );
  });

  it("takes a meter reading", async () => {
    const { asked } = open();
    show(<WaterUsedPage />, { ...FARM, units: "us" });
    fireEvent.click(await screen.findByRole("button", { name: "Enter a meter reading" }));
    fireEvent.change(screen.getByLabelText("It shows, gal"), { target: { value: "264172.05" } });
    fireEvent.click(screen.getByRole("button", { name: "Save reading" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const sent = (await sentTo(asked, "/api/farm")) as { meter_readings: { meter_m3: number }[] };
    expect(sent.meter_readings[0]).toMatchObject({
      supply: "well",
      at: "2026-07-14T06:00",
      new_meter: false,
    });
    expect(sent.meter_readings[0]?.meter_m3).toBeCloseTo(1000, 2);
  });
});
