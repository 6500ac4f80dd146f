import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { hoursWords } from "../../lib/numbers";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { drawn, EMPTY, later, movable, nudged, toApprove } from "./draft";
import { nameOf, placed, spanOf, ticks } from "./lanes";
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
    past_mm: 0,
    pulses: 1,
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
    set({
      key: "vega 2/3",
      block: "vega",
      name: "Vega",
      part: 2,
      parts: 3,
      flow_m3_h: 40,
      late_h: 60,
      past_mm: 12,
      late: true,
    }),
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
    expect(screen.getByText("2.5 days later than the crop asks, 12 mm past its trigger")).toBeTruthy();
    expect(screen.getByText("Mesa finds no place")).toBeTruthy();
    expect(screen.getByText(/Mesa would fit/)).toBeTruthy();
    expect(screen.getByText(/12 mm of rain is likely/)).toBeTruthy();
    expect(screen.getByText("No other plan stresses the crops less.")).toBeTruthy();
  });

  it("shows the chosen set with its water and when it is due", async () => {
    answerWith({ "/api/plan": PLAN });
    show(<PlanPage />, FARM);
    fireEvent.click(await screen.findByRole("button", { name: /^Hoya.*proposed/ }));
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

  it("stops looking for a better plan when told to, and lets the quick one be approved", async () => {
    const quick = { ...PLAN, proven: false };
    vi.stubGlobal("fetch", async (request: Request) => {
      const { searchParams, pathname } = new URL(request.url);
      if (pathname.endsWith("/plan") && searchParams.get("quick") === "false") return new Promise(() => {});
      return new Response(JSON.stringify(pathname.endsWith("/plan") ? quick : { cautions: [] }), {
        headers: { "content-type": "application/json" },
      });
    });
    show(<PlanPage />, FARM);
    expect(await screen.findByText(/looking for the best one/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: /Approve tonight/ })).toBeNull();
    fireEvent.click(screen.getByText("Stop looking"));
    expect(await screen.findByRole("button", { name: /Approve tonight/ })).toBeTruthy();
  });

  it("says so when nothing asks for water", async () => {
    answerWith({
      "/api/plan": { ...PLAN, sets: [], unfit: [], held: [], ways_out: [], words: "0 sets in 1 day." },
    });
    show(<PlanPage />, FARM);
    expect(await screen.findByText("No block asks for water in these days.")).toBeTruthy();
  });

  it("moves a set by the arrow keys, names what breaks and approves nothing until it is put right", async () => {
    const breaks = [{ key: "hoya 1/1", code: "breaks.flow", words: "Well is short of 20 m³/h then" }];
    const { asked } = answerWith({
      "/api/plan": PLAN,
      "/api/plan/check": { breaks, cost: 30 },
      "/api/tonight": {},
    });
    show(<PlanPage />, FARM);
    fireEvent.keyDown(await screen.findByRole("button", { name: /^Hoya.*proposed/ }), { key: "ArrowRight" });
    expect(await screen.findByText("Tue 06:30 – Tue 12:30")).toBeTruthy();
    expect(await screen.findByText("Well is short of 20 m³/h then.")).toBeTruthy();
    const sent = (await sentTo(asked, "/plan/check")) as { sets: { key: string; start: string }[] };
    expect(sent.sets[0]).toEqual({ key: "hoya 1/1", start: "2026-07-14T06:30+02:00" });
    expect(screen.getByRole("button", { name: /Approve tonight/ })).toHaveProperty("disabled", true);
    fireEvent.click(screen.getByText("Undo the move"));
    expect(screen.getByText("Tue 06:00 – Tue 12:00")).toBeTruthy();
    expect(screen.getByRole("button", { name: /Approve tonight/ })).toHaveProperty("disabled", false);
  });

  it("approves tonight's sets as they are shown, without what is left out", async () => {
    const { asked } = answerWith({ "/api/plan": PLAN, "/api/plan/approve": PLAN });
    show(<PlanPage />, FARM);
    fireEvent.click(await screen.findByRole("button", { name: /Vega, part 2 of 3.*proposed/ }));
    fireEvent.click(screen.getByText("Leave it out"));
    fireEvent.click(screen.getByRole("button", { name: "Approve tonight: 1 set" }));
    await waitFor(async () => expect(await sentTo(asked, "/plan/approve")).toBeDefined());
    expect(await sentTo(asked, "/plan/approve")).toEqual({
      plan: "abc",
      days: 1,
      sets: [{ key: "hoya 1/1", start: "2026-07-14T06:00+02:00" }],
    });
  });

  it("locks and takes back an approved set, and moves none that is locked", async () => {
    const sets = [set({ key: "k", state: "approved", locked: true })];
    const { asked } = answerWith({ "/api/plan": { ...PLAN, sets }, "/api/plan/sets/k": { ok: true } });
    show(<PlanPage />, FARM);
    const box = await screen.findByRole("button", { name: /^Hoya.*approved/ });
    fireEvent.keyDown(box, { key: "ArrowRight" });
    fireEvent.click(box);
    expect(screen.getByText("Tue 06:00 – Tue 12:00")).toBeTruthy();
    fireEvent.click(screen.getByText("Unlock"));
    await waitFor(async () => expect(await sentTo(asked, "/plan/sets/k")).toMatchObject({ locked: false }));
    fireEvent.click(screen.getByText("Cancel this set"));
    await waitFor(async () => expect(await sentTo(asked, "/plan/sets/k")).toMatchObject({ withdraw: true }));
  });

  it("arms a supply only with the cautions read, and stops all valves", async () => {
    const cautions = ["Pipes and valves are under pressure."];
    const armed = { ...PLAN, lanes: PLAN.lanes.map((l) => ({ ...l, armed: l.controlled })) };
    const answers: Record<string, unknown> = {
      "/api/plan": PLAN,
      "/api/water": { cautions },
      "/supplies/well/arm": { ok: true },
      "/api/stop-all": { not_reached: ["Valve box"] },
    };
    const { asked } = answerWith(answers);
    show(<PlanPage />, FARM);
    fireEvent.click(await screen.findByText("Arm …"));
    expect(await screen.findByText(cautions[0] ?? "")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Arm" })).toHaveProperty("disabled", true);
    fireEvent.click(screen.getByRole("checkbox"));
    answers["/api/plan"] = armed;
    fireEvent.click(screen.getByRole("button", { name: "Arm" }));
    await waitFor(async () =>
      expect(await sentTo(asked, "/well/arm")).toEqual({ armed: true, cautions_read: true }),
    );
    fireEvent.click(await screen.findByText("Stop all valves"));
    expect(await screen.findByText(/Not reached: Valve box/)).toBeTruthy();
  });
});

describe("draft", () => {
  it("keeps the offset and stays within the plan", () => {
    expect(later("2026-07-14T23:45+02:00", 30)).toBe("2026-07-15T00:15+02:00");
    const [hoya] = PLAN.sets as [Planned];
    expect(nudged(PLAN, EMPTY, hoya, -30).moved).toEqual({});
    expect(nudged(PLAN, EMPTY, hoya, 24 * 60).moved).toEqual({ "hoya 1/1": 18 * 60 });
    const moved = nudged(PLAN, EMPTY, hoya, 60);
    expect(drawn(PLAN, moved)[0]?.end).toBe("2026-07-14T13:00+02:00");
    expect(nudged(PLAN, moved, hoya, -60).moved).toEqual({});
  });

  it("approves proposed sets of tonight only", () => {
    const sets = [
      set({ key: "a" }),
      set({ key: "b", tonight: false }),
      set({ key: "c", state: "approved" }),
      set({ key: "d" }),
    ];
    expect(toApprove({ ...PLAN, sets }, { moved: {}, out: ["d"] }).map((s) => s.key)).toEqual(["a"]);
    expect(sets.map(movable)).toEqual([true, true, true, true]);
    expect(movable(set({ state: "running" }))).toBe(false);
  });
});
