import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { UndoProvider } from "../../app/records";
import { answerWith, show } from "../../testing/support.test.helper";
import { parseBatch } from "./Batches";
import { BenchPage } from "./BenchPage";
import type { Bench } from "./queries";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const device = (key: string, part: Partial<Bench["devices"][number]> = {}) => ({
  key,
  type: "granular matrix sensor",
  serial: "",
  batch: "spring",
  cost: 45,
  bought_on: null,
  shelf: "shed",
  note: "",
  state: "in store" as const,
  where: "shed",
  calibrations: 0,
  history: ["2026-03-01 Two cycles: ready"],
  ...part,
});

const tested = (sensor: string, accepted: boolean) => ({
  sensor,
  air_mean: 820,
  air_sd: accepted ? 1 : 30,
  air_cv: 0.001,
  water_mean: 380,
  water_sd: 1,
  water_cv: 0.001,
  span: 440,
  repeats: 3,
  accepted,
  reasons: accepted ? [] : ["scatters in air: 6.8 % of its span, 2 % is allowed"],
  after_days: null,
});

const BENCH: Bench = {
  devices: [
    device("gm-1"),
    device("gm-2", { state: "rejected" }),
    device("te-1", { type: "tensiometer", batch: "x" }),
  ],
  batches: [
    {
      key: "spring",
      on: "2026-02-02",
      who: "Inés",
      note: "",
      sensors: [tested("s-1", true), tested("s-2", false)],
      median_span: 440,
      pooled_sd: 15,
      span_over_scatter: 29,
      between_cv: 0.01,
      accepted: true,
      words: "1 of 2 pass",
      sd_share: 0.02,
      span_share: 0.8,
      pass_share: 0.5,
    },
  ],
  best_batch: "spring",
  runs: [
    {
      key: "c1",
      procedure: "condition-a",
      title: "Two wet and dry cycles",
      device: "gm-1",
      verdict: "open",
      closed: false,
      words: "6 steps left",
      started: "2026-07-11T18:00",
    },
  ],
  stock: { "granular matrix sensor": 1, tensiometer: 1 },
};

const PROCEDURES = {
  procedures: [
    {
      procedure: "condition-a",
      title: "Two wet and dry cycles",
      about: "",
      subject: "device",
      kind: "condition",
      source: "common practice, no source",
      steps: [],
    },
    {
      procedure: "tensiometer-service",
      title: "Tensiometer service",
      about: "",
      subject: "device",
      kind: "service",
      source: "common practice, no source",
      steps: [],
    },
  ],
};

function page(at = "/bench", bench: Bench = BENCH) {
  const answers = answerWith({
    "/api/bench": bench,
    "/api/procedures": PROCEDURES,
    "/api/farm": { created: {}, changed: {}, unchanged: {} },
    "/api/tube-cuts": {
      tubes: [{ label: "1", depth_cm: 30, length_cm: 45.24, soil_line_cm: 19.05 }],
      parts: [{ part: "cap", amount: 1, unit: "piece", price: 0.6, cost: 0.6 }],
      cost: 0.6,
      sets: [],
    },
    "/restore": { kind: "devices", key: "gm-1", deleted: false },
    "/records/devices/gm-1": { kind: "devices", key: "gm-1", deleted: true },
  });
  show(
    <UndoProvider>
      <BenchPage />
    </UndoProvider>,
    undefined,
    at,
  );
  return answers;
}

describe("the register", () => {
  it("says what there is, finds, and opens a history", async () => {
    page();
    expect(await screen.findByText("Sensors: 2 in stock, 1 rejected")).toBeTruthy();
    expect(screen.getByText("✕ rejected")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Find"), { target: { value: "tensio" } });
    expect(screen.queryByText("gm-1")).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "history" }));
    expect(screen.getByText("2026-03-01 Two cycles: ready")).toBeTruthy();
  });

  it("writes several sensors in without using a name twice", async () => {
    const { asked } = page();
    fireEvent.change(await screen.findByLabelText("Name"), { target: { value: "GM" } });
    fireEvent.change(screen.getByLabelText("How many"), { target: { value: "2" } });
    fireEvent.click(screen.getByRole("button", { name: "Add sensors" }));
    await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
    const sent = await asked.find((r) => r.method === "POST")?.json();
    expect(sent.devices.map((d: { key: string }) => d.key)).toEqual(["gm-3", "gm-4"]);
    expect(sent.devices[0].cost).toBeNull();
  });

  it("keeps the way back open after a deletion", async () => {
    const { asked } = page();
    fireEvent.click((await screen.findAllByRole("button", { name: "history" }))[0] as HTMLElement);
    fireEvent.click(screen.getByRole("button", { name: "delete" }));
    expect(await screen.findByText("gm-1 deleted.")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(asked.some((r) => r.url.endsWith("/restore"))).toBe(true));
    await waitFor(() => expect(screen.queryByText("gm-1 deleted.")).toBeNull());
  });
});

describe("batches", () => {
  it("are shown with their verdict and the reasons", async () => {
    page("/bench?tab=batches");
    const batch = await screen.findByRole("region", { name: "Batch spring" });
    expect(within(batch).getByText("spring: kept")).toBeTruthy();
    expect(within(batch).getByText(/scatters in air: 6.8 %/)).toBeTruthy();
    const picture = within(batch).getByRole("img");
    expect(picture.getAttribute("aria-label")).toContain("s-2: air 820, water 380, rejected");
  });

  it("are typed a line a sensor", () => {
    expect(parseBatch("b1: 820 822,5 / 381 / 382\n\n815 818 / 377 379")).toEqual([
      { sensor: "b1", air: [820, 822.5], water: [381], after_days: 382 },
      { sensor: "line 2", air: [815, 818], water: [377, 379], after_days: null },
    ]);
  });
});

describe("work", () => {
  it("offers the sensors a procedure is for, and begins on each", async () => {
    const { asked } = page("/bench?tab=work");
    expect(await screen.findByText("6 steps left")).toBeTruthy();
    fireEvent.click(await screen.findByLabelText("gm-1"));
    fireEvent.click(screen.getByLabelText("gm-2"));
    expect(screen.queryByLabelText("te-1")).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Start" }));
    await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
    const sent = await asked.find((r) => r.method === "POST")?.json();
    expect(sent.procedure_runs.map((r: { device: string }) => r.device)).toEqual(["gm-1", "gm-2"]);
    fireEvent.change(screen.getByLabelText("Procedure"), { target: { value: "tensiometer-service" } });
    expect(screen.getByLabelText("te-1")).toBeTruthy();
  });
});

describe("tubes", () => {
  it("are listed with cut and mark", async () => {
    const { asked } = page("/bench?tab=tubes");
    fireEvent.change(await screen.findByLabelText("Sensor depths, cm"), { target: { value: "30 60" } });
    fireEvent.click(screen.getByRole("button", { name: "Make list" }));
    expect(await screen.findByText("45.2 cm")).toBeTruthy();
    const sent = await asked.find((r) => r.method === "POST")?.json();
    expect(sent).toEqual({ depths_cm: [30, 60], stick_out_cm: 19.05 });
  });
});
