import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { badCells, begun, emptyRow, numberOf, sampleOf, sheetOf, storable } from "./draft";
import { PlanPage } from "./PlanPage";
import type { SheetWorked } from "./queries";
import { SheetPage } from "./SheetPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const SAMPLE = {
  label: "a",
  sensor: "hoya/a/30",
  raw: [500, 502],
  tare_g: 50,
  wet_g: 212,
  dry_g: 185,
  ring_volume_cm3: 100,
  stones_fraction: 0.1,
  oven_c: 105,
  oven_h: 24,
  depth_cm: 30,
  soil: "loam",
  reference_theta: null,
  left_out: "",
};
const SHEET = {
  key: "s",
  name: "Spring tins",
  block: "hoya",
  raw_unit: "count",
  on: "2026-07-01",
  note: "",
  samples: [SAMPLE],
};

const row = (part: object = {}) => ({
  theta: 0.27,
  theta_mass: 0.2,
  bulk_density_g_cm3: 1.35,
  raw: 501,
  raw_sd: 1.4,
  group: "loam 30 cm",
  used: true,
  predicted: 0.26,
  residual: -0.01,
  cautions: [] as string[],
  field: "",
  problem: "",
  ...part,
});
const curve = (model: string, part: object = {}) => ({
  model,
  coefficients: [0.5, -0.0005],
  n: 12,
  rmse_theta: 0.01,
  bias_theta: -0.0001,
  left_out_rmse_theta: 0.012,
  raw_low: 350,
  raw_high: 700,
  refused: "",
  formula: "θ = 0.5 + -0.0005 × raw",
  ...part,
});
const WORKED: SheetWorked = {
  rows: [row({ cautions: ["far from the curve the other samples make: weigh again"] })],
  fits: [curve("linear"), curve("quadratic", { refused: "3 moisture levels; a quadratic curve wants 5" })],
  shown: "linear",
  best: "linear",
  words: "linear: a sample left out is missed by 0.012 m³/m³ (12 samples)",
  groups: ["clay 60 cm", "loam 30 cm"],
  may_pool: true,
  pooling: "separate lines gain what chance would in 40% of cases: one curve for all",
  curve: [
    { raw: 350, theta: 0.32, low: 0.3, high: 0.34 },
    { raw: 700, theta: 0.15, low: 0.13, high: 0.17 },
  ],
  agreements: [
    {
      soil: "",
      against: "the reference probe against weighed samples",
      count: 5,
      bias_theta: -0.021,
      rmse_theta: 0.03,
      unbiased_rmse_theta: 0.02,
      words: "mostly a shift: a one-point correction would do",
    },
  ],
  meaning: { error_mm: 9, days: 1.4, words: "± 9 mm in the root zone, ± 1.4 days at today's use" },
  part: { slope: -0.0005, intercept: 0.5 },
};
const SIDE = { depletion_mm: 30, error_mm: 4, wetted_fraction: 0.5, refill_days: [1, 2, null], reason: "" };
const ANSWERS = {
  "/api/sample-sheets/s": { sheet: SHEET, worked: WORKED },
  "/api/sample-sheets/work": WORKED,
  "/api/calibrations": {
    sensors: [{ ref: "hoya/a/30", depth_cm: 30, raw_unit: "count", type: "capacitance sensor" }],
    versions: [],
  },
  "/api/stations/hoya/a/sensors/30/warmth": {
    sensor: "hoya/a/30",
    per_degree: 1.7,
    error: 0.1,
    days: 20,
    words: "+1.7 ± 0.1 a degree, from 20 dry days",
  },
  "/api/calibrations/compare": {
    sensor: "hoya/a/30",
    times: [0, 3600, 7200],
    before: [0.2, null, 0.21],
    after: [0.22, null, 0.23],
    block_before: SIDE,
    block_after: { ...SIDE, depletion_mm: 22 },
  },
  "/api/farm": { created: {}, changed: {}, unchanged: {} },
};

const page = (path: string) =>
  show(
    <Routes>
      <Route path="/bench/sheet/:key" element={<SheetPage />} />
      <Route path="/bench/plan/:block" element={<PlanPage />} />
    </Routes>,
    FARM,
    path,
  );

describe("the draft of a sheet", () => {
  it("takes commas, names what is no number and keeps what was typed", () => {
    expect([numberOf("1,5"), numberOf(" "), numberOf("x")]).toEqual([1.5, null, null]);
    const typed = { ...emptyRow(), raw: "500 x", wet: "21o", tare: "50" };
    expect(badCells(typed)).toEqual(["wet", "raw"]);
    expect(sampleOf(typed, "metric")).toMatchObject({
      raw: [500],
      wet_g: null,
      tare_g: 50,
      stones_fraction: 0,
    });
  });

  it("comes back from a stored sheet and tells what can be stored", () => {
    const sheet = sheetOf(SHEET, "metric");
    expect(sheet.rows[0]).toMatchObject({ raw: "500 502", stones: "10", wet: "212", reference: "" });
    expect(sampleOf(sheet.rows[0] ?? emptyRow(), "metric")).toMatchObject({
      raw: [500, 502],
      stones_fraction: 0.1,
    });
    const rows = [...sheet.rows, { ...emptyRow(), raw: "5" }, emptyRow()];
    expect(begun(rows)).toHaveLength(2);
    expect(storable(rows, "metric")).toMatchObject({ short: 1 });
  });
});

describe("a sample sheet", () => {
  it("shows the water as typed, what to look at again, the curves and what they mean", async () => {
    answerWith(ANSWERS);
    page("/bench/sheet/s");
    await screen.findByText("27.0 %");
    expect(screen.getByText(/far from the curve the other samples make/)).toBeTruthy();
    expect(screen.getByText(/Not used: 3 moisture levels/)).toBeTruthy();
    expect(screen.getByText(/± 9 mm in the root zone, ± 1.4 days/)).toBeTruthy();
    expect(screen.getByText(/bias −2.1 %, error 3.0 %/)).toBeTruthy();
    expect(
      screen.getByRole("img", { name: /Weighed water against readings, 1 samples, linear curve/ }),
    ).toBeTruthy();
    expect(screen.getByRole("img", { name: "Residuals of 1 samples" })).toBeTruthy();
  });

  it("marks a cell that holds no number and sends the rest", async () => {
    const { asked } = answerWith(ANSWERS);
    page("/bench/sheet/s");
    const wet = await screen.findByLabelText("moist, g, row 1");
    fireEvent.change(wet, { target: { value: "21o" } });
    expect(wet.getAttribute("aria-invalid")).toBe("true");
    expect(screen.getByText(/a cell holds no number/)).toBeTruthy();
    await waitFor(async () =>
      expect(JSON.stringify(await sentTo(asked, "/sample-sheets/work"))).toContain('"wet_g":null'),
    );
  });

  it("compares before and after, corrects by temperature, and puts in force", async () => {
    const { asked } = answerWith(ANSWERS);
    page("/bench/sheet/s");
    fireEvent.click(await screen.findByRole("button", { name: "Compare before and after" }));
    expect(
      await screen.findByText(
        /depletion 22 ± 4 mm in the wetted strip, 11 mm over the block, refill in 2.0 days \(1.0 to \?\)/,
      ),
    ).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Use from this day" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/calibrations")).toBeTruthy());
    const body = await sentTo(asked, "/api/calibrations");
    expect(body).toMatchObject({
      sensors: ["hoya/a/30"],
      calibration: { slope: -0.0005, valid_from: "2026-07-14" },
    });
  });

  it("leaves a tin out without losing it", async () => {
    const { asked } = answerWith(ANSWERS);
    page("/bench/sheet/s");
    fireEvent.click(await screen.findByRole("button", { name: "leave out row 1" }));
    expect(screen.getByText("Kept, not used.")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Save sheet" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = await sentTo(asked, "/api/farm");
    expect(body).toMatchObject({
      sample_sheets: [{ samples: [{ left_out: "left out by hand", wet_g: 212 }] }],
    });
  });
});

describe("the sampling plan", () => {
  it("says when, where and how many, with a blank sheet for the laboratory", async () => {
    answerWith({
      "/api/blocks/hoya/sampling-plan": {
        block: "hoya",
        name: "Hoya",
        within_mm: 10,
        samples: 10,
        expected_mm: 8,
        words: "",
        steps: [{ when: "at the refill point", depths_cm: [10, 30], each: 2 }],
        stations: ["probe"],
        depths_cm: [10, 30],
        cautions: ["ask about buried cables"],
      },
    });
    page("/bench/plan/hoya");
    expect(await screen.findByText(/10 tins leave the curve's own error at about ± 8 mm/)).toBeTruthy();
    expect(screen.getByText(/2 tins at each of 10, 30/)).toBeTruthy();
    expect(screen.getAllByRole("row")).toHaveLength(5);
    expect(screen.getByText("ask about buried cables")).toBeTruthy();
  });
});
