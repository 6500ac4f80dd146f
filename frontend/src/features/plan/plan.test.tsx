import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { hoursWords, nameOf, placed, spanOf, ticks } from "./lanes";
import { PlanPage } from "./PlanPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

type Planned = Schemas["PlannedSetOut"];

function set(part: Partial<Planned> = {}): Planned {
  return {
    key: "hoya 1/1",
    shift: "",
    valve: "",
    tag: "",
    locked: false,
    by_hand: false,
    tonight: true,
    group: "",
    note: "",
    block: "hoya",
    name: "Hoya",
    part: 1,
    parts: 1,
    supply: "well",
    start: "2026-07-14T06:00+02:00",
    end: "2026-07-14T12:00+02:00",
    hours: 6,
    flow_m3_h: 60,
    volume_m3: 360,
    net_mm: 12,
    gross_mm: 14,
    cost: 21.6,
    due: "2026-07-15T06:00+02:00",
    late_h: 0,
    late: false,
    state: "proposed",
    why: "Due tomorrow.",
    ...part,
  };
}

const PLAN: Schemas["PlanContent"] = {
  as_of: "2026-07-14T06:00+02:00",
  start: "2026-07-14T06:00+02:00",
  end: "2026-07-15T06:00+02:00",
  days: 1,
  lanes: [
    {
      supply: "well",
      name: "Well",
      flow_m3_h: 100,
      runs_h: 20,
      dear: [["2026-07-14T08:00+02:00", "2026-07-15T00:00+02:00"]],
      closed: [],
      kind: "well",
      left_m3: null,
      armed: false,
      controlled: true,
    },
    {
      supply: "river",
      name: "River",
      flow_m3_h: null,
      runs_h: null,
      dear: [],
      closed: [],
      kind: "",
      left_m3: null,
      armed: false,
      controlled: false,
    },
  ],
  id: "abc",
  people: [{ name: "Tomás", there: [["2026-07-14T06:00+02:00", "2026-07-14T14:00+02:00"]] }],
  step_min: 30,
  sets: [
    set(),
    set({ key: "vega 2/3", block: "vega", name: "Vega", part: 2, parts: 3, flow_m3_h: 40, late_h: 60, late: true }),
  ],
  unfit: [
    {
      block: "mesa",
      name: "Mesa",
      supply: "",
      lacks: "no supply is entered for this block",
      left: 1,
      parts: 1,
    },
  ],
  held: [{ block: "soto", name: "Soto", why: "Hold: 12 mm of rain is likely within 3 days." }],
  ways_out: [
    {
      supply: "well",
      what: "hours",
      by: 1,
      costs: 0,
      saves_mm_days: 2,
      fits: ["mesa"],
      words: "Well 1 h a day longer: Mesa would fit",
    },
  ],
  cost: 40,
  proven: true,
  words: "2 sets in 1 day; no place for 1 set.",
};

describe("lanes", () => {
  const [lane] = PLAN.lanes as [Schemas["LaneOut"]];

  it("are as tall as the supply gives and as long as the plan", () => {
    const { places } = placed(lane, PLAN.sets, spanOf(PLAN));
    expect(places.map((p) => [p.left, p.width, p.bottom, p.height])).toEqual([
      [0, 0.25, 0, 0.6],
      [0, 0.25, 0.6, 0.4],
    ]);
  });

  it("use a level again once it is free", () => {
    const later = set({ start: "2026-07-14T12:00+02:00", end: "2026-07-14T18:00+02:00" });
    const { places } = placed(lane, [set(), later], spanOf(PLAN));
    expect(places.map((p) => p.bottom)).toEqual([0, 0]);
  });

  it("without a limit are as tall as what runs at once", () => {
    const { ceiling } = placed({ ...lane, flow_m3_h: null }, PLAN.sets, spanOf(PLAN));
    expect(ceiling).toBe(100);
  });

  it("have every sixth hour", () => {
    expect(ticks(spanOf(PLAN)).map((t) => t.hour)).toEqual([6, 12, 18, 0, 6]);
  });

  it("say hours and parts", () => {
    expect([8.333, 6, 0.5].map(hoursWords)).toEqual(["8 h 20 min", "6 h", "30 min"]);
    expect(PLAN.sets.map(nameOf)).toEqual(["Hoya", "Vega, part 2 of 3"]);
  });
});

describe("plan page", () => {
  it("shows sets in order, what finds no place and the ways out", async () => {
    answerWith({ "/api/plan": PLAN });
    show(<PlanPage />, FARM);
    expect(await screen.findByRole("heading", { name: PLAN.words })).toBeTruthy();
    expect(screen.getByText("2.5 days later than the crop asks")).toBeTruthy();
    expect(screen.getByText("Mesa finds no place")).toBeTruthy();
    expect(screen.getByText(/Mesa would fit/)).toBeTruthy();
    expect(screen.getByText(/12 mm of rain is likely/)).toBeTruthy();
    expect(screen.getByText("No other plan stresses the crops less.")).toBeTruthy();
  });

  it("shows the chosen set with its water and when it is due", async () => {
    answerWith({ "/api/plan": PLAN });
    show(<PlanPage />, FARM);
    fireEvent.click(await screen.findByTitle("Hoya"));
    expect(screen.getByText("Tue 06:00 – Tue 12:00")).toBeTruthy();
    expect(screen.getByText("360 m³ · 12 mm net")).toBeTruthy();
    expect(screen.getByText("Wed 06:00")).toBeTruthy();
  });

  it("speaks the reader's units, in the table too", async () => {
    answerWith({ "/api/plan": PLAN });
    show(<PlanPage />, { ...FARM, units: "us" });
    expect((await screen.findAllByText(/0.47 in net/)).length).toBeGreaterThan(0);
    fireEvent.click(screen.getByText("as a table"));
    expect(await screen.findByText("flow, gpm")).toBeTruthy();
    expect(screen.getByText("264")).toBeTruthy();
  });

  it("says so when nothing asks for water", async () => {
    answerWith({
      "/api/plan": { ...PLAN, sets: [], unfit: [], held: [], ways_out: [], words: "0 sets in 1 day." },
    });
    show(<PlanPage />, FARM);
    expect(await screen.findByText("No block asks for water in these days.")).toBeTruthy();
  });
});
