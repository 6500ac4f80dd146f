import { cleanup, createEvent, fireEvent, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, block, FARM, show } from "../../testing/support.test.helper";
import { zoneText } from "../../ui/adviceText";
import { RoundPage } from "./RoundPage";
import { VisitsPage } from "./VisitsPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const ROUND = {
  farm: "Las Eras",
  time_zone: "Europe/Madrid",
  as_of: "2026-07-14T06:00+02:00",
  sentence: "One block needs water today. Leave one. One without advice.",
  to_see: [],
  air: [],
  blocks: [
    block(),
    block({
      key: "vega",
      name: "Vega",
      group: "leave",
      refill: null,
      advised: null,
      reason: "30 mm above full.",
    }),
    block({
      key: "tunel",
      name: "Túnel",
      group: "none",
      marks: null,
      storage_mm: null,
      refill: null,
      advised: null,
      reason: "No advice because probe: no readings yet.",
    }),
  ],
};

const LOSSES = { as_of: ROUND.as_of, days: 7, blocks: [] as object[] };

describe("the Round", () => {
  it("says what went below the roots in the week, where it is worth saying", async () => {
    const loss = { key: "hoya", below_mm: 15, strip_mm: 30, wettings: 3, known: 2, worth_saying: true };
    const small = { ...loss, key: "vega", below_mm: 1, strip_mm: 2, worth_saying: false };
    answerWith({ "/api/round": ROUND, "/api/round/losses": { ...LOSSES, blocks: [loss, small] } });
    show(<RoundPage />);
    const said = await screen.findByText(/below the roots/);
    expect(said.parentElement?.textContent).toBe(
      "15 mm over the block (30 mm in the wetted strip) below the roots in 7 days, at least: 2 of 3 wettings are known",
    );
    expect(screen.getAllByText(/below the roots/)).toHaveLength(1);
  });

  it.each([
    [40, "true"],
    [41, "false"], // so many that the morning's work stands first
  ])("of %i blocks opens those that can be left: %s", async (many, open) => {
    answerWith({ "/api/round": ROUND });
    const blocks = Array.from({ length: many }, (_, i) => ({ ...FARM.blocks[0], key: `b${i}` }) as never);
    show(<RoundPage />, { ...FARM, blocks });
    const leave = await screen.findByRole("button", { name: /^No irrigation/ });
    expect(leave.getAttribute("aria-expanded")).toBe(open);
    expect(screen.getByRole("button", { name: "Act today" }).getAttribute("aria-expanded")).toBe("true");
    fireEvent.click(leave);
    expect(leave.getAttribute("aria-expanded")).not.toBe(open);
  });

  it("opens with last night and what the plan finds no place for", async () => {
    const night = {
      as_of: "2026-07-14T06:00+02:00",
      last_night: "4 of 5 ran; Bajo 3 h 40 min of 6 h: no pressure from 02:10, 5 mm short.",
      tonight: "1 to come, 300 m³ in all.",
      done: [{ key: "a", state: "cut short", unsure: false }],
      sets: [
        {
          key: "b",
          block: "hoya",
          shift: "all",
          state: "running",
          start: "2026-07-14T04:00+02:00",
          end: "2026-07-14T09:30+02:00",
        },
      ],
      walk: [],
      controllers: [{ key: "c", name: "Valve box", trouble: "it is not reached", armed: true }],
    };
    const unfit = [
      { block: "vega", name: "Vega", supply: "pool", lacks: "Pool is taken", left: 2, parts: 4 },
    ];
    answerWith({
      "/api/round/losses": LOSSES,
      "/api/round": ROUND,
      "/api/tonight": night,
      "/api/plan": { unfit },
    });
    show(<RoundPage />);
    expect(await screen.findByText(/4 of 5 ran; Bajo 3 h 40 min of 6 h/)).toBeTruthy();
    expect(await screen.findByText("Running until Tue 09:30")).toBeTruthy();
    expect(screen.getByText("Last night").className).toContain("clay");
    expect((await screen.findByText(/Vega, 2 of 4 parts: Pool is taken/)).textContent).toContain(
      "No place in 3 days",
    );
    expect(screen.getByRole("alert").textContent).toContain("Valve box is not reached");
  });

  it("groups the blocks and says what to do with each", async () => {
    answerWith({ "/api/round/losses": LOSSES, "/api/round": ROUND });
    show(<RoundPage />);
    expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe(ROUND.sentence);
    const groups = screen.getAllByRole("region").map((g) => g.getAttribute("aria-label"));
    expect(groups).toEqual(["Act today", "No irrigation", "No advice"]);
    const [act, leave, none] = screen.getAllByTestId("round-row");
    expect(act?.textContent).toContain("today");
    expect(act?.textContent).toContain("22 mm net, 11 h 10 min");
    expect(leave?.textContent).toContain("not soon");
    expect(none?.textContent).toContain("No advice because probe: no readings yet.");
    expect(none?.textContent).not.toContain("net");
  });

  it("says which sensors to go and see, in which order", async () => {
    const line = {
      station: "hoya/a",
      sensor: "hoya/a/50",
      name: "Hoya, station a",
      why: "stuck for 30 h",
      by_hand: false,
    };
    const battery = {
      station: "vega/a",
      sensor: "",
      name: "Vega, station a",
      why: "battery at 3.10 V",
      by_hand: false,
    };
    answerWith({
      "/api/round/losses": LOSSES,
      "/api/round": { ...ROUND, to_see: [line, battery, { ...battery, why: "overdue", by_hand: true }] },
    });
    show(<RoundPage />);
    const list = await screen.findByRole("region", { name: "Visit" });
    const links = within(list).getAllByRole("link");
    expect(links.map((l) => l.getAttribute("href"))).toEqual([
      "/stations/hoya/a/sensor/50",
      "/stations/vega/a",
      "/handheld",
    ]);
    expect(list.textContent).toContain("stuck for 30 h");
  });

  it("puts what to visit after what to water, before what can wait", async () => {
    const line = { station: "hoya/a", sensor: "", name: "Hoya, a", why: "stuck", by_hand: false };
    const blocks = [block(), block({ key: "vega", name: "Vega", group: "coming" })];
    answerWith({ "/api/round/losses": LOSSES, "/api/round": { ...ROUND, blocks, to_see: [line] } });
    show(<RoundPage />);
    await screen.findByRole("region", { name: "Visit" });
    const names = screen.getAllByRole("region").map((one) => one.getAttribute("aria-label"));
    expect(names.filter((name) => ["Act today", "Visit", "Coming"].includes(name ?? ""))).toEqual([
      "Act today",
      "Visit",
      "Coming",
    ]);
  });

  it("says once what would narrow the dates of blocks alike", async () => {
    const wide = ["A", "B", "C", "D"].map((name) => block({ key: name, name, narrows: "look again" }));
    const blocks = [...wide, block({ key: "E", name: "E", narrows: "weigh samples" }), block()];
    answerWith({ "/api/round/losses": LOSSES, "/api/round": { ...ROUND, blocks } });
    show(<RoundPage />);
    const lines = within(await screen.findByRole("region", { name: "To narrow the dates" })).getAllByRole(
      "listitem",
    );
    expect(lines.map((line) => line.textContent)).toEqual([
      "A, B, C and 1 more: look again.",
      "E: weigh samples.",
    ]);
  });

  it("gives the visits by need, or as one comes past them", async () => {
    const visit = (name: string, walk: number | null) => ({
      station: name,
      sensor: "",
      name,
      why: "stuck",
      by_hand: false,
      walk,
    });
    const to_see = [visit("far", 3), visit("unplaced", null), visit("near", 1), visit("between", 2)];
    answerWith({ "/api/round/losses": LOSSES, "/api/round": { ...ROUND, to_see, walk_m: 1234 } });
    show(<VisitsPage />);
    const order = () =>
      within(screen.getByRole("region", { name: "Visit" }))
        .getAllByRole("link")
        .map((link) => link.textContent);
    const walk = await screen.findByRole("button", { name: "on the way round, 1234 m as the crow flies" });
    expect(order()).toEqual(["far", "unplaced", "near", "between"]);
    fireEvent.click(walk);
    expect(order()).toEqual(["near", "between", "far", "unplaced"]);
    fireEvent.click(screen.getByRole("button", { name: "most urgent first" }));
    expect(order()).toEqual(["far", "unplaced", "near", "between"]);
  });

  it("chooses a row under a pointer that moves, not one that slides under it", async () => {
    answerWith({ "/api/round/losses": LOSSES, "/api/round": ROUND });
    show(<RoundPage />);
    const rows = await screen.findAllByTestId("round-row");
    const chosen = () => rows.findIndex((row) => row.className.includes("bg-panel"));
    const mouse = (name: "pointerOver" | "pointerMove", pointerType = "mouse") => {
      const event = createEvent[name](rows[1] as HTMLElement);
      Object.defineProperty(event, "pointerType", { value: pointerType });
      fireEvent(rows[1] as HTMLElement, event);
    };
    expect(chosen()).toBe(0);
    mouse("pointerOver");
    mouse("pointerMove", "touch");
    expect(chosen()).toBe(0);
    mouse("pointerMove");
    expect(chosen()).toBe(1);
  });

  it("draws a level only where one is known", async () => {
    answerWith({ "/api/round/losses": LOSSES, "/api/round": ROUND });
    show(<RoundPage />);
    const rows = await screen.findAllByTestId("round-row");
    expect(
      within(rows[0] as HTMLElement)
        .getByRole("img")
        .getAttribute("aria-label"),
    ).toBe("Hoya: 4 mm over the block (7 mm in the wetted strip) above the refill point");
    expect(within(rows[2] as HTMLElement).queryByRole("img")).toBeNull();
  });

  it("folds a group and keeps its count", async () => {
    answerWith({ "/api/round/losses": LOSSES, "/api/round": ROUND });
    show(<RoundPage />);
    fireEvent.click(await screen.findByRole("button", { name: "No irrigation" }));
    expect(screen.getAllByTestId("round-row")).toHaveLength(2);
    expect(screen.getByRole("button", { name: "No irrigation · 1 folded" })).toBeTruthy();
  });

  it("finds among many", async () => {
    const many = Array.from({ length: 12 }, (_, i) =>
      block({ key: `b${i}`, name: `Block ${i}`, crop: i % 2 ? "olive" : "almond" }),
    );
    answerWith({ "/api/round/losses": LOSSES, "/api/round": { ...ROUND, blocks: many } });
    show(<RoundPage />);
    fireEvent.change(await screen.findByLabelText("Find a block or crop"), { target: { value: "olive" } });
    expect(screen.getAllByTestId("round-row")).toHaveLength(6);
    fireEvent.change(screen.getByLabelText("Find a block or crop"), { target: { value: "block 11" } });
    expect(screen.getAllByTestId("round-row")).toHaveLength(1);
  });

  it("asks for the past moment of the address", async () => {
    const { asked } = answerWith({ "/api/round/losses": LOSSES, "/api/round": ROUND });
    show(<RoundPage />, FARM, "/?as_of=2026-06-01T06:00");
    await screen.findAllByTestId("round-row");
    const first = asked.find((r) => r.url.includes("/api/round"));
    expect(new URL(first?.url ?? "").searchParams.get("as_of")).toBe("2026-06-01T06:00");
    expect(screen.getByRole("link", { name: "Hoya" }).getAttribute("href")).toBe(
      "/block/hoya?as_of=2026-06-01T06%3A00",
    );
  });

  it("shows the server's reason when it refuses", async () => {
    answerWith({});
    show(<RoundPage />);
    expect(await screen.findByText("nothing here")).toBeTruthy();
  });

  it("teaches the first step on an empty farm and the second without readings", async () => {
    show(<RoundPage />, { ...FARM, set_up: false, blocks: [], sensors: 0 });
    expect(screen.getByRole("link", { name: "Set up a block" }).getAttribute("href")).toBe("/setup/new");
    cleanup();
    answerWith({
      "/api/round/losses": LOSSES,
      "/api/round": { ...ROUND, blocks: [block({ last_reading_at: null, group: "none" })] },
    });
    show(<RoundPage />);
    expect((await screen.findByRole("link", { name: "Import a logger file" })).getAttribute("href")).toBe(
      "/import",
    );
    expect(screen.getByText("Describe a block · done")).toBeTruthy();
  });

  it("says what each zone of a block needs, one that is past its trigger first to be seen", async () => {
    const zone = {
      name: "shoulder",
      area_ha: 3,
      depletion_mm: 30,
      error_mm: 2,
      stations: 4,
      net_mm: 20,
      gross_mm: 22,
      set_time_min: 250,
      due_at: FARM.now,
      past: true,
      shift: "top",
      by: "",
      why_not: "",
    };
    const waits = { ...zone, gross_mm: null, due_at: null, past: false, why_not: "waits as the block does" };
    expect(zoneText(waits, FARM.now, "metric")).toBe("shoulder waits as the block does");
    const none = {
      ...zone,
      name: "hollow",
      depletion_mm: null,
      past: false,
      why_not: "no station stands in it",
    };
    expect(zoneText(zone, FARM.now, "metric")).toBe("shoulder now, 22 mm gross in 4 h 10 min");
    expect(zoneText({ ...zone, shift: "", gross_mm: 0.2, by: "by a" }, FARM.now, "metric")).toBe(
      "shoulder now, nothing to give (by a)",
    );
    expect(zoneText(none, FARM.now, "metric")).toBe("hollow: no advice because no station stands in it");
  });
});
