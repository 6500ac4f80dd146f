import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { csvText } from "../../ui/TableView";
import { Demand } from "./Demand";
import { Diagnoses } from "./Diagnoses";
import { ManagedDepth } from "./ManagedDepth";
import { Rules } from "./Rules";
import { ledgerTable, wettingsTable } from "./tables";
import { Wettings } from "./Wettings";

vi.mock("../../app/session", () => ({ useMay: () => () => true, usePerson: () => undefined }));

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const START = Date.UTC(2026, 6, 9, 19) / 1000;
const PROFILE: Schemas["ProfileContent"] = {
  key: "hoya",
  name: "Hoya",
  as_of: "2026-07-14T06:00+02:00",
  days: 28,
  why_not: "",
  root_depth_cm: 60,
  wettings: [
    {
      station: "a",
      start: "",
      end: "",
      start_at: START,
      end_at: START + 40000,
      arrivals: [
        { depth_cm: 20, at: START, before: 0.2, peak: 0.3, gain_mm: 10 },
        { depth_cm: 40, at: START + 7200, before: 0.2, peak: 0.26, gain_mm: 7.5 },
      ],
      gain_mm: 17.5,
      reach_cm: 40,
      below_mm: 6.2,
      front_cm_h: 10,
      between: null,
      from_what: [{ kind: "set", start_at: START, depth_mm: 22 }],
      expected_mm: 22,
      explained: true,
      suspect: "",
    },
    {
      station: "a",
      start: "",
      end: "",
      start_at: START + 200000,
      end_at: START + 240000,
      arrivals: [{ depth_cm: 20, at: START + 200000, before: 0.2, peak: 0.24, gain_mm: 4 }],
      gain_mm: 4,
      reach_cm: 20,
      below_mm: null,
      front_cm_h: null,
      between: null,
      from_what: [],
      expected_mm: null,
      explained: false,
      suspect: "a valve left open",
    },
  ],
  stations: [],
  diagnoses: [],
};

describe("wettings", () => {
  it("are told between two readings where nobody read in the meantime", () => {
    const wetting = PROFILE.wettings[0];
    if (!wetting) throw new Error("no wetting");
    const between = { from_at: START, to_at: START + 86400 };
    show(<Wettings found={{ ...PROFILE, wettings: [{ ...wetting, between }] }} offset={0} />);
    const [only] = screen.getAllByRole("listitem");
    expect(only?.textContent).toMatch(/^between .* and .*at least \+18 mm to 40 cm/);
    expect(only?.textContent).toContain("From a set of 22 mm. Nobody read in between.");
  });

  it("are told newest first with reach, leak and what they came from", () => {
    show(<Wettings found={PROFILE} offset={7200} />);
    const [newest, older] = screen.getAllByRole("listitem");
    expect(newest?.textContent).toContain("Not explained: a valve left open.");
    expect(older?.textContent).toContain("+18 mm to 40 cm, 10 cm an hour; 6 mm went below the roots");
    expect(older?.textContent).toContain("From a set of 22 mm. Arrived at 40 cm after 2 h.");
    expect(older?.textContent).toContain("Thu 9 Jul 21:00");
  });

  it("open as a table with a file for every figure", () => {
    show(<Wettings found={PROFILE} offset={0} />);
    fireEvent.click(screen.getByRole("button", { name: "as a table" }));
    const table = screen.getByRole("table");
    expect(within(table).getAllByRole("row")).toHaveLength(3);
    expect(csvText(wettingsTable(PROFILE, 0, "metric")).split("\r\n")[1]).toContain(
      "2026-07-09 19:00,a,17.5,40,6.2,10,",
    );
  });

  it("write commas and quotes so that another program reads them", () => {
    const table = {
      title: "t",
      columns: ["a", "b"],
      rows: [["x, y", null] as const, ['say "so"', 2] as const],
    };
    expect(csvText({ ...table, rows: table.rows.map((r) => [...r]) })).toBe(
      'a,b\r\n"x, y",\r\n"say ""so""",2\r\n',
    );
  });
});

const LEDGER: Schemas["LedgerContent"] = {
  key: "hoya",
  name: "Hoya",
  as_of: "2026-07-14T06:00+02:00",
  why_not: "",
  calendar: "Kc of FAO-56 Table 12",
  stage: "mid",
  weather: "forecast of 05:00: 11 members",
  wetted_fraction: 0.5,
  factor: { low: 0.8, mid: 0.9, high: 1.0 },
  factor_how: "8 dry steps",
  days: ["2026-07-13", "2026-07-14"].map((day, i) => ({
    day,
    when: i ? ("ahead" as const) : ("past" as const),
    eto_mm: 7,
    how: "given",
    filled: false,
    eto_low_mm: 6.5,
    eto_high_mm: 7.5,
    kc: 0.9,
    etc_mm: 6.3,
    rain_mm: i,
    effective_rain_mm: 0,
    rain_chance: i ? 0.3 : null,
    used_mm: i ? null : 11,
    expected_mm: 11.3,
  })),
};
const SKILL = {
  key: "hoya",
  name: "Hoya",
  as_of: LEDGER.as_of,
  words: "Of the last 40 refill dates called five days ahead, 36 came within a day.",
  judged: 40,
  within_a_day: 36,
  inside: 33,
  error_days: 0.5,
  straight_error_days: 1.1,
  calls: [
    { day: "2026-07-01", low_days: 4, mid_days: 5, high_days: 6, straight_days: 7, days: 5.2, why_not: "" },
  ],
};

describe("the demand", () => {
  it("shows factor, days ahead and how good past dates were", async () => {
    answerWith({ "/ledger": LEDGER, "/skill": SKILL });
    show(<Demand blockKey="hoya" asOf={undefined} />);
    expect(await screen.findByText("Actual use ÷ calculated 0.90")).toBeTruthy();
    expect(screen.getAllByRole("row")).toHaveLength(2);
    expect(screen.getByRole("row", { name: /Tue 14 Jul/ }).textContent).toContain("6.3");
    expect(await screen.findByText(SKILL.words)).toBeTruthy();
    expect(screen.getByText(/against 1.1 for a straight line/)).toBeTruthy();
    expect(ledgerTable(LEDGER, "metric").rows[0]).toEqual([
      "2026-07-13",
      7,
      "given",
      0.9,
      6.3,
      0,
      0,
      11.3,
      11,
    ]);
  });

  it("takes weather in from a table and says what became of it", async () => {
    const report = {
      days: 2,
      methods: { "Penman–Monteith": 2 },
      words: [],
      created: 2,
      changed: 0,
      unchanged: 0,
    };
    const { asked } = answerWith({ "/ledger": LEDGER, "/skill": SKILL, "/api/weather": report });
    show(<Demand blockKey="hoya" asOf={undefined} />);
    fireEvent.click(await screen.findByRole("button", { name: "add weather" }));
    const table = "day,tmax_c,tmin_c\n2026-07-01,36,18";
    const file = new File([table], "w.csv", { type: "text/csv" });
    file.text = async () => table;
    fireEvent.change(await screen.findByLabelText("CSV file or spreadsheet"), { target: { files: [file] } });
    fireEvent.change(screen.getByLabelText("Metres above the sea"), { target: { value: "640" } });
    fireEvent.click(screen.getByRole("button", { name: "Import" }));
    expect((await screen.findByRole("status")).textContent).toContain(
      "2 days imported: 2 by Penman–Monteith.",
    );
    expect(await sentTo(asked, "/api/weather")).toMatchObject({ elevation_m: 640 });
  });

  it("asks which column is which in a table of somebody else", async () => {
    const looked = {
      columns: [
        { name: "when", samples: ["2026-07-01"] },
        { name: "hi", samples: ["36"] },
        { name: "lo", samples: ["18"] },
      ],
      fields: ["day", "tmax_c", "tmin_c"].map((name) => ({ name, words: name, needed: true })),
      mapping: { tmax_c: "lo" },
      remembered: false,
    };
    const report = { days: 1, methods: {}, words: [], created: 1, changed: 0, unchanged: 0 };
    const { asked } = answerWith({
      "/ledger": LEDGER,
      "/skill": SKILL,
      "/api/weather/columns": looked,
      "/api/weather": report,
    });
    show(<Demand blockKey="hoya" asOf={undefined} />);
    fireEvent.click(await screen.findByRole("button", { name: "add weather" }));
    const file = new File(["x"], "w.csv", { type: "text/csv" });
    file.text = async () => "when,hi,lo\n2026-07-01,36,18";
    fireEvent.change(await screen.findByLabelText("CSV file or spreadsheet"), { target: { files: [file] } });
    fireEvent.change(await screen.findByLabelText("day, needed"), { target: { value: "when" } });
    fireEvent.change(screen.getByLabelText("tmin_c, needed"), { target: { value: "lo" } }); // no longer the highest
    fireEvent.change(screen.getByLabelText("tmax_c, needed"), { target: { value: "hi" } });
    fireEvent.change(screen.getByLabelText("Metres above the sea"), { target: { value: "640" } });
    fireEvent.click(screen.getByRole("button", { name: "Import" }));
    await screen.findByRole("status");
    expect(await sentTo(asked, "/api/weather")).toMatchObject({
      mapping: { day: "when", tmax_c: "hi", tmin_c: "lo" },
    });
  });

  it("says why there is no date by weather", async () => {
    answerWith({
      "/ledger": { ...LEDGER, why_not: "no weather is kept for these days", factor: null, days: [] },
      "/skill": { ...SKILL, judged: 0, calls: [], words: "No refill date called." },
    });
    show(<Demand blockKey="hoya" asOf={undefined} />);
    expect(await screen.findByText(/No date by weather: no weather is kept/)).toBeTruthy();
  });
});

describe("diagnoses", () => {
  it("open what is usually done, with its caution", () => {
    const one = {
      station: "probe",
      kind: "leaking",
      words: "Water goes below the roots: 23 mm.",
      evidence: ["3 of 4 wettings"],
      remedies: ["shorter sets, more often"],
      caution: "some leaching may be wanted",
      said: [],
    };
    show(<Diagnoses found={[one]} />);
    expect(screen.queryByText("shorter sets, more often")).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "why, and what is usually done" }));
    expect(screen.getByText("shorter sets, more often")).toBeTruthy();
    expect(screen.getByText(/some leaching may be wanted/)).toBeTruthy();
  });

  it("says once what stations say alike", () => {
    const said = (station: string, words: string) => ({
      station,
      kind: "leaking",
      words,
      evidence: [],
      remedies: [],
      caution: "",
      said: [],
    });
    show(<Diagnoses found={[said("a", "Much."), said("b", "Little."), said("c", "Much.")]} />);
    const lines = within(screen.getByRole("region", { name: "What the weeks say" })).getAllByText(
      /Leaking\./,
    );
    expect(lines.map((one) => one.parentElement?.textContent)).toEqual([
      "a, c: Leaking. Much. why",
      "b: Leaking. Little. why",
    ]);
  });
});

const RULES = {
  key: "hoya",
  name: "Hoya",
  as_of: LEDGER.as_of,
  rules: [
    {
      key: "r1",
      stage: "",
      trigger: "any layer",
      tension_kpa: null,
      tension_to_cm: null,
      cautious: true,
      lead_days: 1.5,
      rain_room_mm: null,
      fill_share: 0.8,
      fixed_dose_mm: null,
      ec_water_ds_m: null,
      ec_soil_ds_m: null,
      max_rate_mm_h: null,
      last_day: null,
      end_share: null,
      note: "tight rotation",
      who: "Ana",
    },
  ],
  windows: [
    {
      key: "w1",
      what: "cutting",
      dry_by: "2026-07-23",
      until: "2026-07-26",
      top_cm: 20,
      ends_season: false,
      note: "",
      who: "Ana",
    },
  ],
  orders: [{ key: "o1", action: "hold", until: "2026-07-15", net_mm: null, note: "pump is out", who: "Ana" }],
};

describe("a depth to manage", () => {
  it("is proposed with its evidence and put into the rules that hold", async () => {
    const { asked } = answerWith({ "/rules": RULES });
    show(<ManagedDepth blockKey="hoya" depthCm={60} why="only 1 of 8 wettings went past 60 cm" />);
    expect(screen.getByText(/only 1 of 8/)).toBeTruthy();
    fireEvent.click(await screen.findByRole("button", { name: "Refill down to 60 cm …" }));
    expect(await screen.findByDisplayValue("only 1 of 8 wettings went past 60 cm")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Use from this day" }));
    await waitFor(async () =>
      expect(await sentTo(asked, "/rules")).toMatchObject({ managed_depth_cm: 60, lead_days: 1.5 }),
    );
  });
});

describe("rules", () => {
  it("are read as sentences", async () => {
    answerWith({ "/rules": RULES });
    show(<Rules blockKey="hoya" asOf={undefined} today="2026-07-14" />);
    expect(await screen.findByText("water when the first layer passes its refill point")).toBeTruthy();
    expect(screen.getByText("fill to 80 % of available water")).toBeTruthy();
    expect(screen.getByText(/pump is out/)).toBeTruthy();
  });

  it("are put in force in the server's units, and taken back", async () => {
    const { asked } = answerWith({ "/rules": RULES, "/withdraw": RULES });
    show(<Rules blockKey="hoya" asOf={undefined} today="2026-07-14" />, { ...FARM, units: "us" });
    fireEvent.click(await screen.findByRole("button", { name: "Change the rules" }));
    fireEvent.change(await screen.findByLabelText("Room kept for rain, net, in"), {
      target: { value: "0.5" },
    });
    fireEvent.change(screen.getByLabelText("Why"), { target: { value: "monsoon" } });
    fireEvent.click(screen.getByRole("button", { name: "Use from this day" }));
    await waitFor(async () =>
      expect(await sentTo(asked, "/rules")).toMatchObject({
        trigger: "any layer",
        rain_room_mm: 12.7,
        fill_share: 0.8,
        lead_days: 1.5,
        cautious: true,
        note: "monsoon",
      }),
    );
    fireEvent.click(screen.getAllByRole("button", { name: "Withdraw" })[2] as HTMLElement);
    await waitFor(async () =>
      expect(await sentTo(asked, "/withdraw")).toEqual({ kind: "orders", key: "o1" }),
    );
  });
});
