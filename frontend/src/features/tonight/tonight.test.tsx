import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { farmNow, toldQueue } from "./queue";
import { TonightPage } from "./TonightPage";

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

type Night = Schemas["NightSetOut"];

function set(part: Partial<Night> = {}): Night {
  return {
    key: "hoya-1",
    block: "hoya",
    name: "Hoya",
    shift: "",
    valve: "",
    tag: "gate by the road",
    supply: "well",
    supply_name: "Well",
    start: "2026-07-14T20:30+02:00",
    end: "2026-07-15T02:30+02:00",
    hours: 6,
    net_mm: 12,
    gross_mm: 14,
    volume_m3: 360,
    flow_m3_h: 60,
    state: "approved",
    note: "",
    by_hand: true,
    pulses: 1,
    armed: false,
    sequence: 0,
    ran_start: null,
    ran_end: null,
    ran_hours: null,
    ran_mm: null,
    ran_m3: null,
    water_from: "",
    evidence: [],
    short_mm: null,
    unsure: false,
    ...part,
  };
}

const NIGHT: Schemas["TonightContent"] = {
  as_of: "2026-07-14T21:00+02:00",
  last_night: "0 of 1 ran; Vega: did it run?.",
  tonight: "1 to come, 360 m³ in all; one waits for somebody at 20:30.",
  sets: [set()],
  done: [set({ key: "vega-1", block: "vega", name: "Vega", unsure: true })],
  walk: [],
  controllers: [],
  flows: ["Hoya: its flow fell by 12 % at steady pressure."],
};
const told = (kept: boolean, reason = "") => ({
  entries: [{ key: "hoya-1-start", planned: "hoya-1", kept, state: "running", reason }],
});

describe("tonight", () => {
  it("says where the valve is and starts a set by hand with one tap", async () => {
    const { asked } = answerWith({ "/api/tonight": NIGHT, "/api/sets/told": told(true) });
    show(<TonightPage />, FARM);
    expect(await screen.findAllByText("gate by the road, Well")).toHaveLength(2);
    fireEvent.click(screen.getByText("Start"));
    await waitFor(async () => expect(await sentTo(asked, "/sets/told")).toBeDefined());
    expect(await sentTo(asked, "/sets/told")).toEqual({
      entries: [
        { key: "hoya-1-start", planned: "hoya-1", what: "start", at: "2026-07-14T21:00+02:00", note: "" },
      ],
    });
    await waitFor(() => expect(toldQueue.waiting()).toEqual([]));
  });

  it("keeps what was told on the phone without a signal, and sends it once when there is one", async () => {
    answerWith({ "/api/tonight": NIGHT });
    show(<TonightPage />, FARM);
    const start = await screen.findByText("Start");
    vi.stubGlobal("fetch", async () => Promise.reject(new TypeError("no signal")));
    fireEvent.click(start);
    expect(await screen.findByText("Kept on this phone until there is a signal.")).toBeTruthy();
    expect(screen.getByText("One entry waits on this phone for a signal.")).toBeTruthy();
    const { asked } = answerWith({ "/api/tonight": NIGHT, "/api/sets/told": told(true) });
    await toldQueue.sendAll();
    await toldQueue.sendAll();
    expect(toldQueue.waiting()).toEqual([]);
    expect(asked.filter((r) => r.method === "POST")).toHaveLength(1);
  });

  it("shows what the server refused with the reason, and lets it go", async () => {
    toldQueue.put({
      key: "hoya-1-start",
      planned: "hoya-1",
      what: "start",
      at: "2026-07-14T21:00+02:00",
      note: "",
    });
    answerWith({ "/api/tonight": NIGHT, "/api/sets/told": told(false, "lies in the future") });
    show(<TonightPage />, FARM);
    expect(await screen.findByText(/Not saved: lies in the future/)).toBeTruthy();
    fireEvent.click(screen.getByText("delete it"));
    expect(toldQueue.waiting()).toEqual([]);
  });

  it("asks whether a set ran that nobody told of", async () => {
    const { asked } = answerWith({ "/api/tonight": NIGHT, "/api/sets/told": { entries: [] } });
    show(<TonightPage />, FARM);
    fireEvent.click(await screen.findByText("It ran as planned"));
    await waitFor(async () =>
      expect(await sentTo(asked, "/sets/told")).toMatchObject({
        entries: [{ planned: "vega-1", what: "ran" }],
      }),
    );
  });

  it("takes hours or a depth, and a meter before and after", async () => {
    const sets = [
      set({ state: "done", ran_start: "2026-07-14T20:30+02:00", ran_end: "2026-07-15T02:30+02:00" }),
    ];
    const { asked } = answerWith({
      "/api/tonight": { ...NIGHT, sets: [], done: sets },
      "/api/sets/told": { entries: [] },
    });
    show(<TonightPage />, FARM);
    fireEvent.click(await screen.findByText("Hours …"));
    fireEvent.change(await screen.findByLabelText("Hours it ran"), { target: { value: "5,5" } });
    fireEvent.click(screen.getByText("Save"));
    await waitFor(async () =>
      expect(await sentTo(asked, "/sets/told")).toMatchObject({ entries: [{ hours: 5.5, gross_mm: null }] }),
    );
  });

  it("says which controller is not reached, and what a set without anybody does", async () => {
    const controllers = [{ key: "c", name: "Valve box", trouble: "it is not reached", open_valves: [] }];
    answerWith({
      "/api/tonight": { ...NIGHT, sets: [set({ by_hand: false, armed: true, valve: "N1" })], controllers },
    });
    show(<TonightPage />, FARM);
    expect((await screen.findByRole("alert")).textContent).toContain("Valve box is not reached");
    expect(screen.getByText(/starts automatically, ends 02:30/)).toBeTruthy();
    expect(screen.getByText("valve N1, gate by the road, Well")).toBeTruthy();
  });

  it("says that a set waits where its supply is not armed", async () => {
    answerWith({ "/api/tonight": { ...NIGHT, sets: [set({ by_hand: false, valve: "N1" })] } });
    show(<TonightPage />, FARM);
    expect(await screen.findByText(/waits: Well is not armed/)).toBeTruthy();
  });

  it("stops all valves from the field, and says who was not reached", async () => {
    const controllers = [{ key: "c", name: "Valve box", trouble: "", armed: true, open_valves: ["N1"] }];
    const { asked } = answerWith({
      "/api/tonight": { ...NIGHT, controllers },
      "/api/stop-all": { not_reached: ["Valve box"] },
    });
    show(<TonightPage />, FARM);
    fireEvent.click(await screen.findByText("Stop all valves"));
    expect(await screen.findByText(/Not reached: Valve box/)).toBeTruthy();
    expect(asked.filter((r) => r.method === "POST")).toHaveLength(1);
  });

  it("stands in walking order when asked, with a clock that is off and a flow that falls", async () => {
    const controllers = [{ key: "c", name: "Valve box", trouble: "", clock_off_s: 240, open_valves: [] }];
    const sets = [set(), set({ key: "soto-1", name: "Soto" })];
    answerWith({ "/api/tonight": { ...NIGHT, sets, done: [], walk: ["soto-1", "hoya-1"], controllers } });
    show(<TonightPage />, FARM);
    expect(await screen.findByText(/The clock of Valve box is 4 min ahead/)).toBeTruthy();
    expect(screen.getByText(/its flow fell by 12 %/)).toBeTruthy();
    const names = () => screen.getAllByRole("listitem").map((li) => li.querySelector("p")?.textContent);
    expect(names()).toEqual(["Hoya", "Soto"]);
    fireEvent.click(screen.getByLabelText("in walking order"));
    expect(names()).toEqual(["Soto", "Hoya"]);
  });

  it("takes the farm's clock: held in a demonstration, else this phone's in the farm's zone", () => {
    expect(farmNow("2026-07-14T21:00+02:00", true)).toBe("2026-07-14T21:00+02:00");
    expect(farmNow("2026-07-14T21:00-05:30", false)).toMatch(/-05:30$/);
  });
});
