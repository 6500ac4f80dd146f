import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { MarksPage } from "./MarksPage";
import type { Estimate, Marks } from "./queries";
import { TensionPage } from "./TensionPage";
import { asTyped, figure, typedMark, unitOf } from "./words";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const source = { kind: "equation" as const, title: "Saxton & Rawls 2006, loam", detail: "sand 40 %" };
const estimate = (part: Partial<Estimate>): Estimate => ({
  mark: "full",
  estimator: "texture equation",
  how: "theta",
  value: 0.28,
  low: 0.25,
  high: 0.31,
  confidence: "poor",
  evidence: "texture only",
  source,
  meaning: "water content at 33 kPa",
  stage: "",
  ...part,
});
const MARKS: Marks = {
  block: "hoya",
  name: "Hoya",
  crop: "almond",
  as_of: "2026-07-14T06:00+02:00",
  stage: "mid",
  stages: [{ stage: "mid", first_day: "2026-06-01", after: "2026-08-01" }],
  root_depth_cm: 60,
  full_mm: 180,
  refill_mm: 130,
  wilting_mm: 80,
  layers: [
    {
      top_cm: 0,
      bottom_cm: 20,
      depth_cm: 10,
      in_roots: true,
      theta_full: 0.28,
      theta_refill: 0.22,
      theta_wilting: 0.14,
      full_source: source,
      wilting_source: source,
      full: [
        estimate({}),
        estimate({ estimator: "drain-down", value: 0.29, low: 0.285, high: 0.295, confidence: "good" }),
        estimate({
          estimator: "table",
          value: null,
          low: null,
          high: null,
          confidence: "none",
          evidence: "no row",
        }),
      ],
      wilting: [estimate({ mark: "wilting", value: 0.14, low: null, high: 0.15, estimator: "lowest seen" })],
      drain_downs: [
        {
          station: "probe",
          ended: "2026-06-02T03:00",
          theta: 0.29,
          why_not: "",
          nights: [
            { hours: 30, theta: 0.31, drained_share_d: 0.02, error_share_d: 0.001 },
            { hours: 54, theta: 0.29, drained_share_d: 0.01, error_share_d: 0.001 },
          ],
        },
        {
          station: "probe",
          ended: "2026-06-09T03:00",
          theta: null,
          why_not: "no readings around it",
          nights: [],
        },
      ],
    },
  ],
  refill: [
    estimate({
      mark: "refill",
      estimator: "allowable depletion",
      how: "fraction",
      value: 0.4,
      low: null,
      high: null,
    }),
    estimate({ mark: "refill", estimator: "growth", how: "depletion", value: 42, low: 38, high: 46 }),
  ],
  slow_down: {
    points: [
      [10, 1],
      [40, 0.6],
    ],
    line: [
      [10, 1],
      [40, 0.6],
    ],
    depletion_mm: 25,
    interval_mm: [20, 30],
    words: "14 dry days",
  },
  chosen: [
    {
      key: "m1",
      state: "in force",
      body: {
        key: "m1",
        block: "hoya",
        mark: "refill",
        how: "fraction",
        value: 0.5,
        top_cm: null,
        bottom_cm: null,
        stage: "mid",
        valid_from: "2026-06-01",
        estimator: "share of full",
        note: "pit hardening",
        who: "Ana",
        withdrawn: null,
        entered: null,
      },
    },
  ],
  offers: [
    {
      words: "the field suggests moving full up by 6 mm (5 drain-downs)",
      picks: [{ mark: "full", how: "theta", value: 0.29, top_cm: 0, bottom_cm: 20, estimator: "drain-down" }],
    },
    { words: "the field stands 9 mm above full, but most wettings go below the roots", picks: [] },
  ],
  why_not: "",
};
const curve = (kind: string, part: object = {}) => ({
  kind,
  picked: false,
  points: [
    [1, 0.4],
    [1500, 0.1],
  ],
  theta_error: 0.03,
  source,
  refused: "",
  fitted_to: [] as number[][],
  ...part,
});
const TENSION = {
  block: "hoya",
  name: "Hoya",
  as_of: "2026-07-14T06:00+02:00",
  stage: "mid",
  horizons: [
    {
      soil: "loam",
      top_cm: 0,
      bottom_cm: 60,
      texture: "loam",
      curves: [
        curve("equation", { picked: true }),
        curve("class"),
        curve("points", {
          points: [],
          theta_error: null,
          source: null,
          refused: "2 points; at least 5 are wanted",
        }),
      ],
      theta_full: 0.28,
      theta_wilting: 0.14,
    },
  ],
  tables: [
    {
      depth_cm: 10,
      top_cm: 0,
      bottom_cm: 20,
      in_roots: true,
      refill_kpa: 60,
      full_kpa: 33,
      theta_refill: 0.22,
      rows: [
        { kpa: 10, theta: 0.34, used_share: -0.3, left_mm: 40, used_mm: -8 },
        { kpa: 60, theta: 0.22, used_share: 0.43, left_mm: 16, used_mm: 12 },
      ],
    },
  ],
  root_zone: [
    { kpa: 10, used_share: -0.3, left_mm: 40, used_mm: -8 },
    { kpa: 60, used_share: 0.43, left_mm: 16, used_mm: 12 },
  ],
  threshold_kpa: [40, 60],
  picked: [],
  why_not: "",
  band: { stage: "mid", low_kpa: 55, high_kpa: 65, source: "a book", confidence: "low" },
  bands: [],
  ask_local: false,
  wet: [
    { sensor: "hoya/a/20", depth_cm: 20, share: 0.25, hours: 600, too_wet: true },
    { sensor: "hoya/a/60", depth_cm: 60, share: null, hours: 12, too_wet: false },
  ],
  means: {
    times: [1_783_000_000, 1_783_003_600],
    upper_kpa: [20, 30],
    lower_kpa: [null, 10],
    uppers: 2,
    lowers: 1,
  },
};

const at = (path: string, answers: Record<string, unknown>) => {
  const { asked } = answerWith(answers);
  show(
    <Routes>
      <Route path="/block/:key/marks" element={<MarksPage />} />
      <Route path="/block/:key/tension" element={<TensionPage />} />
    </Routes>,
    FARM,
    path,
  );
  return { asked };
};
const stored = { created: {}, changed: {}, unchanged: {} };

describe("figures of marks", () => {
  it("are shown and typed in their own terms", () => {
    expect(figure(0.281, "theta", "metric")).toBe("28.1 %");
    expect(figure(0.45, "fraction", "metric")).toBe("45 % used");
    expect(figure(42, "depletion", "us")).toBe("1.65 in");
    expect(typedMark("28,5", "theta", "metric")).toBeCloseTo(0.285);
    expect(typedMark("1.65", "depletion", "us")).toBeCloseTo(41.9, 1);
    expect(asTyped(0.45, "fraction", "metric")).toBe("45");
    expect(unitOf("tension", "us")).toBe("cb");
  });
});

describe("the marks page", () => {
  it("lays every answer beside its evidence and says which is in force", async () => {
    at("/block/hoya/marks", { "/api/blocks/hoya/marks": MARKS });
    expect(await screen.findByRole("heading", { level: 1, name: "Hoya: marks" })).toBeTruthy();
    expect(screen.getByText(/stage mid \(1 Jun 2026 to 1 Aug 2026\)/)).toBeTruthy();
    expect(screen.getAllByText("(in force)")).toHaveLength(2);
    expect(screen.getByText(/no row/)).toBeTruthy();
    expect(screen.getByRole("img", { name: /1 drain-downs by night, 1 accepted/ })).toBeTruthy();
    expect(screen.getByText(/no readings around it/)).toBeTruthy();
    // of the refill, the full and the wilting point
    expect(screen.getAllByText(/water content at 33 kPa\./)).toHaveLength(3);
    expect(screen.getAllByText("Saxton & Rawls 2006, loam: sand 40 %.")).toHaveLength(3);
  });

  it("draws the evidence of the answer looked at, with what is in force beside it", async () => {
    at("/block/hoya/marks", { "/api/blocks/hoya/marks": MARKS });
    const refill = within(await screen.findByRole("region", { name: "Refill point" }));
    expect(refill.getByText("▲ this answer: 40 mm")).toBeTruthy(); // nothing says what is in force: the first
    expect(refill.getByText("in force: 50 mm")).toBeTruthy();
    fireEvent.click(refill.getByRole("button", { name: "growth" }));
    expect(refill.getByText("▲ this answer: 42 mm")).toBeTruthy();
    const layers = within(screen.getByRole("region", { name: "Layers" }));
    expect(layers.queryByText("this answer")).toBeNull(); // it is the one in force
    fireEvent.click(layers.getByRole("button", { name: "drain-down" }));
    expect(layers.getByText("this answer")).toBeTruthy();
    expect(layers.getByText("in force")).toBeTruthy();
  });

  it("knows the answer in force whether it is said as a share or in mm", async () => {
    at("/block/hoya/marks", { "/api/blocks/hoya/marks": { ...MARKS, refill_mm: 138.4 } });
    const refill = within(await screen.findByRole("region", { name: "Refill point" }));
    expect(refill.getByRole("button", { name: /^growth\s*\(in force\)/ }).getAttribute("aria-pressed")).toBe(
      "true",
    );
    cleanup();
    at("/block/hoya/marks", { "/api/blocks/hoya/marks": { ...MARKS, refill_mm: 138.6 } }); // more than half a mm apart
    const other = within(await screen.findByRole("region", { name: "Refill point" }));
    expect(other.queryByRole("button", { name: /^growth\s*\(in force\)/ })).toBeNull();
  });

  it("says one line where the answer looked at is the one in force", async () => {
    at("/block/hoya/marks", { "/api/blocks/hoya/marks": { ...MARKS, refill_mm: 140 } });
    expect(await screen.findByText("▲ this answer, in force: 40 mm")).toBeTruthy();
  });

  it("picks an answer with a reason, never without", async () => {
    const { asked } = at("/block/hoya/marks", { "/api/blocks/hoya/marks": MARKS, "/api/farm": stored });
    fireEvent.click(await screen.findByRole("button", { name: "pick growth for refill" }));
    const dialog = await screen.findByRole("dialog");
    fireEvent.click(within(dialog).getByRole("button", { name: "Use from this day" }));
    expect(within(dialog).getByText(/say why/)).toBeTruthy();
    fireEvent.change(within(dialog).getByLabelText("Why"), { target: { value: "three dry-downs agree" } });
    fireEvent.change(within(dialog).getByLabelText("Value, mm of depletion"), { target: { value: "40" } });
    fireEvent.click(within(dialog).getByRole("button", { name: "Use from this day" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = await sentTo(asked, "/api/farm");
    expect(body).toMatchObject({
      mark_choices: [
        {
          block: "hoya",
          mark: "refill",
          how: "depletion",
          value: 40,
          estimator: "growth",
          note: "three dry-downs agree",
        },
      ],
    });
  });

  it("offers what the field suggests, holds back what leaks, and withdraws", async () => {
    const { asked } = at("/block/hoya/marks", { "/api/blocks/hoya/marks": MARKS, "/api/farm": stored });
    expect(await screen.findByText("Not offered:")).toBeTruthy();
    expect(screen.getAllByRole("button", { name: "Pick it" })).toHaveLength(1);
    fireEvent.click(screen.getByRole("button", { name: "withdraw" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = await sentTo(asked, "/api/farm");
    expect(body).toMatchObject({
      mark_choices: [{ key: "m1", value: 0.5, withdrawn: "2026-07-14T06:00+02:00" }],
    });
  });
});

describe("the tension page", () => {
  it("draws the curves and the table, and fits points that are typed", async () => {
    const { asked } = at("/block/hoya/tension", {
      "/api/blocks/hoya/tension": TENSION,
      "/api/farm": stored,
    });
    expect(await screen.findByText(/Irrigate between 40 and 60 kPa/)).toBeTruthy();
    expect(screen.getByText(/no curve, 2 points; at least 5 are wanted/)).toBeTruthy();
    expect(screen.getByText(/25 % of the last month below 10 kPa: soil cannot hold/)).toBeTruthy();
    expect(screen.getByText(/too few readings to tell \(12\)/)).toBeTruthy();
    expect(screen.getByRole("img", { name: /Mean tension of the upper and of the lower/ })).toBeTruthy();
    const rows = screen.getAllByRole("row").map((r) => r.textContent);
    expect(rows[1]).toBe("10full · 40full · 40");
    expect(rows[2]).toBe("6043 % · 1643 % · 16");
    fireEvent.change(screen.getByPlaceholderText(/10 38.5/), { target: { value: "10 38,5\n1500 12" } });
    fireEvent.click(screen.getByRole("button", { name: "Fit and use from today" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = await sentTo(asked, "/api/farm");
    expect(body).toMatchObject({
      retention_curves: [
        {
          soil: "loam",
          kind: "points",
          points: [
            [10, 0.385],
            [1500, 0.12],
          ],
        },
      ],
    });
  });
});
