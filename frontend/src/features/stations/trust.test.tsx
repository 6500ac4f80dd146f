import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { Advance } from "../../app/Advance";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { Gateways } from "./Gateways";
import type { Sheet } from "./queries";
import { ReadByHand } from "./ReadByHand";
import { SensorPage } from "./SensorPage";

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const DAY = 86400;
const START = 1_783_900_000;
const FAULT: Schemas["FaultOut"] = {
  id: 4,
  sensor: "hoya/a/30",
  fault: "stuck",
  start: "2026-07-10T01:00+02:00",
  end: "2026-07-14T06:00+02:00",
  start_at: START + 2 * DAY,
  end_at: START + 4 * DAY,
  readings: 49,
  reason: "the same value, 0.2, for 48 h",
  kept_out: true,
  verdict: "",
  note: "",
  who: "",
};
const CONTENT: Schemas["SensorPageContent"] = {
  ref: "hoya/a/30",
  name: "Hoya, probe",
  depth_cm: 30,
  unit: "%",
  about: "",
  companions: [],
  times: [0, 1, 2, 3, 4].map((day) => START + day * DAY),
  values: [22, 21, null, null, null],
  flagged: [2, 3, 4].map((day) => [START + day * DAY, 20]),
  faults: [FAULT],
  suspicions: [
    {
      id: 9,
      station: "hoya/a",
      upper: "10",
      lower: "30",
      words:
        "in 4 of 4 wettings the water reached 30 cm before 10 cm: are the two wired the wrong way round?",
      verdict: "",
      note: "",
      who: "",
    },
  ],
};

const page = (content = CONTENT) => {
  const found = answerWith({ "/sensors/30": content, "/verdict": {} });
  show(
    <Routes>
      <Route path="/stations/:block/:station/sensor/:sensor" element={<SensorPage />} />
    </Routes>,
    FARM,
    "/stations/hoya/a/sensor/30",
  );
  return found;
};
const posted = (asked: Request[]) => asked.filter((r) => r.method === "POST");

describe("a sensor's page", () => {
  it("shows what is doubted and still used, and what else is measured there, in the reader's units", async () => {
    const noise = { ...FAULT, id: 5, fault: "noise", kept_out: false };
    const warm = {
      quantity: "temperature",
      unit: "degC",
      times: CONTENT.times,
      values: [20, 21, 22, 21, 20],
    };
    const about = "tension from resistance (kohm), with 24 °C";
    answerWith({ "/sensors/30": { ...CONTENT, faults: [noise], companions: [warm], about } });
    show(
      <Routes>
        <Route path="/stations/:block/:station/sensor/:sensor" element={<SensorPage />} />
      </Routes>,
      { ...FARM, units: "us" },
      "/stations/hoya/a/sensor/30",
    );
    const drawn = await screen.findByRole("img", { name: /5 readings in %/ });
    expect(drawn.textContent).toContain("noise");
    const beside = screen.getByRole("img", { name: "Soil temperature in °F, 5 readings" });
    expect(beside.textContent).toContain("soil temperature, °F");
    expect(beside.textContent).toMatch(/6[89]|7[01]/);
    expect(screen.getByText(`${about}.`)).toBeTruthy();
  });

  it("draws what is used and what is not, and says how much is kept out", async () => {
    page();
    expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe("Sensor at 30 cm");
    expect(screen.getByRole("img").getAttribute("aria-label")).toBe("5 readings in %, 3 of them not used");
    expect(screen.getByText(/49 readings set aside/)).toBeTruthy();
    expect(screen.getByText(/the same value, 0.2, for 48 h/)).toBeTruthy();
    expect(screen.getByText(/wired the wrong way round/)).toBeTruthy();
  });

  it("overrules a fault only with a reason", async () => {
    const { asked } = page();
    const fault = (await screen.findByText(/the same value/)).closest("li") as HTMLElement;
    fireEvent.click(within(fault).getByRole("button", { name: "use the readings" }));
    const use = within(fault).getByRole("button", { name: "Use the readings" }) as HTMLButtonElement;
    expect(use.disabled).toBe(true);
    fireEvent.change(within(fault).getByLabelText("Why the readings are right"), {
      target: { value: "checked" },
    });
    fireEvent.click(use);
    await waitFor(() => expect(posted(asked)).toHaveLength(1));
    const [request] = posted(asked);
    expect(request?.url).toContain("/api/faults/4/verdict");
    expect(await (request as Request).json()).toEqual({ verdict: "overruled", note: "checked", who: "" });
  });

  it("accepts a suspicion", async () => {
    const { asked } = page();
    const suspicion = (await screen.findByText(/wired the wrong way/)).closest("li") as HTMLElement;
    fireEvent.click(within(suspicion).getByRole("button", { name: "confirm the fault" }));
    await waitFor(() => expect(posted(asked)[0]?.url).toContain("/api/suspicions/9/verdict"));
  });

  it("draws readings far apart as points, a line cannot reach them", async () => {
    page({
      ...CONTENT,
      times: [0, 1, 2].map((n) => START + n * 7 * DAY),
      values: [20, 30, 25],
      flagged: [],
      faults: [],
    });
    const trace = await screen.findByRole("img");
    expect(trace.querySelectorAll("circle")).toHaveLength(3);
    cleanup();
    page({
      ...CONTENT,
      times: [0, 1, 2].map((n) => START + n * 3600),
      values: [20, 30, 25],
      flagged: [],
      faults: [],
    });
    expect((await screen.findByRole("img")).querySelectorAll("circle")).toHaveLength(0);
  });

  it("says so when there is nothing to show", async () => {
    page({ ...CONTENT, times: [], values: [], flagged: [], faults: [], suspicions: [] });
    expect(await screen.findByText("No readings in this time.")).toBeTruthy();
  });
});

describe("loggers that send", () => {
  const LOGGER: Schemas["GatewayOut"] = {
    key: "gate",
    name: "logger by the gate",
    stations: [],
    created: "2026-07-01T06:00+02:00",
    revoked: false,
    last_seen: "2026-07-14T05:10+02:00",
    battery_v: 3.12,
    battery_low: true,
    signal_dbm: -90,
  };

  it("shows when each was heard and whose battery is low", async () => {
    answerWith({ "/gateways": { gateways: [LOGGER, { ...LOGGER, key: "b", name: "b", revoked: true }] } });
    show(<Gateways />);
    const [first, second] = await screen.findAllByRole("listitem");
    expect(first?.textContent).toContain("heard 14 Jul, 05:10");
    expect(first?.textContent).toContain("3.12 V low");
    expect(within(second as HTMLElement).queryByRole("button")).toBeNull();
  });

  it("shows a new token once", async () => {
    answerWith({ "/gateways": { gateways: [], key: "gate", token: "secret-token" } });
    show(<Gateways />);
    fireEvent.change(screen.getByLabelText("Name of a new logger"), { target: { value: "Gate" } });
    fireEvent.click(screen.getByRole("button", { name: "Make its token" }));
    expect((await screen.findByRole("status")).textContent).toContain("secret-token");
    fireEvent.click(screen.getByRole("button", { name: "Done" }));
    expect(screen.queryByText("secret-token")).toBeNull();
  });
});

describe("the demonstration's clock", () => {
  it("goes on by what was pressed, and says when it cannot", async () => {
    const { asked } = answerWith({});
    show(<Advance />);
    fireEvent.click(screen.getByRole("button", { name: "1 day" }));
    expect((await screen.findByRole("alert")).textContent).toBe("nothing here");
    expect(await (posted(asked)[0] as Request).json()).toEqual({ hours: 24 });
  });
});

describe("rounds by hand of a station", () => {
  const sheet = {
    line: { ref: "hoya/a", block: "hoya" },
    part: { read_every_days: 7 },
    sensors: [{ key: "30", depth_cm: 30 }],
  } as unknown as Sheet;

  it("stores the days, and none when the entry is emptied", async () => {
    const { asked } = answerWith({ "/api/farm": {} });
    show(<ReadByHand sheet={sheet} />);
    const days = screen.getByLabelText("Days between rounds, empty for none") as HTMLInputElement;
    expect(days.value).toBe("7");
    fireEvent.change(days, { target: { value: "3,5" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(posted(asked)).toHaveLength(1));
    fireEvent.change(days, { target: { value: "" } });
    await waitFor(() =>
      expect((screen.getByRole("button", { name: "Save" }) as HTMLButtonElement).disabled).toBe(false),
    );
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(posted(asked)).toHaveLength(2));
    const bodies = await Promise.all(posted(asked).map((r) => r.json()));
    expect(bodies.map((b) => b.blocks[0].stations[0].read_every_days)).toEqual([3.5, null]);
  });
});
