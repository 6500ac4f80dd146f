import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { UndoProvider } from "../../app/records";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { ChannelCheckPage } from "./ChannelCheckPage";
import { InstrumentPage } from "./InstrumentPage";
import type { Sheet } from "./queries";
import { SitingPage } from "./SitingPage";
import { StationPage } from "./StationPage";
import { StationsPage } from "./StationsPage";
import { depthsFrom, freeKey, methodFor, unitOf } from "./stationParts";
import { TagsPage } from "./TagsPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const LINE = {
  ref: "hoya/a",
  block: "hoya",
  block_name: "Hoya",
  name: "probe",
  longitude: null,
  latitude: null,
  state: "in use",
  state_words: "in use",
  depths_cm: [10, 30],
  types: ["capacitance sensor"],
  last_reading_at: "2026-07-14T05:00+02:00",
  open_run: null,
  window_state: "open",
  window: "A crop that stays: best while dormant.",
};

const sensor = (key: string, part: Partial<Sheet["sensors"][number]> = {}) => ({
  ref: `hoya/a/${key}`,
  key,
  depth_cm: Number(key),
  type: "capacitance sensor",
  channel: `SM${key}`,
  raw_unit: "%",
  device: `cs-${key}`,
  serial: "",
  since: "2026-03-01T12:00+01:00",
  settled: true,
  depth_known: true,
  mark: { number: key === "10" ? "1" : "2", colour: "", knots: null },
  settling_words: "settled",
  last_reading_at: null,
  past_devices: [],
  years: null,
  ...part,
});

const SHEET: Sheet = {
  line: LINE,
  part: {},
  block_crop: "almond",
  installed: "2026-03-01T12:00+01:00",
  moved: null,
  removed: null,
  sensors: [
    sensor("10"),
    sensor("30", { settled: false, settling_words: "settling for 3 days", past_devices: ["cs-9"] }),
  ],
  stands_for: [],
  zone_cautions: [],
  scheme: "counted down",
  zones: [],
  companions: [],
  memory: null,
  take_out: "Stays in the ground: the crop does",
  take_out_by: null,
  unknown: [],
  open_other: null,
  open_other_title: "",
  log: [
    {
      at: "2026-03-02T08:00+01:00",
      at_s: 1,
      who: "Tomás",
      what: "visit",
      note: "flag stands",
      key: "v1",
      kind: "visits",
      photo: "",
    },
  ],
  runs: [],
  checks: [],
};

const DONE = { created: {}, changed: {}, unchanged: {} };
const PLACES = { stations: [LINE], outlines: [], blocks_without: ["llano"] };
const PROCEDURES = {
  procedures: ["pit", "hole", "remove"].map((procedure) => ({
    procedure,
    title: procedure,
    about: "",
    subject: "station",
    kind: procedure === "remove" ? "end" : "install",
    source: "",
    steps: [],
  })),
};

function station(sheet: Sheet = SHEET, farm = FARM) {
  const answers = answerWith({
    "/api/stations/hoya/a": sheet,
    "/api/stations": PLACES,
    "/api/procedures": PROCEDURES,
    "/api/farm": DONE,
    "/api/bench": { devices: [{ key: "cs-8", type: "capacitance sensor", state: "ready", calibrations: 0 }] },
  });
  show(
    <UndoProvider>
      <Routes>
        <Route path="stations/:block/:station" element={<StationPage />} />
        <Route path="stations/:block/:station/check" element={<ChannelCheckPage />} />
        <Route path="stations/:block/:station/tags" element={<TagsPage />} />
        <Route path="run/:key" element={<p>the run</p>} />
      </Routes>
    </UndoProvider>,
    farm,
    "/stations/hoya/a",
  );
  return answers;
}

const posted = async (asked: Request[]) => {
  await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
  return asked.find((r) => r.method === "POST")?.json();
};

describe("the list", () => {
  it("says how stations stand, and which block has none", async () => {
    answerWith({ "/api/stations": PLACES, "/api/instruments": {} });
    show(<StationsPage />);
    expect(await screen.findByText("Stations: 1 in use")).toBeTruthy();
    expect(screen.getByText("last reading 14 Jul")).toBeTruthy();
    expect(screen.getByRole("link", { name: "llano" }).getAttribute("href")).toBe("/stations/plan/llano");
  });

  it("draws today's way round in the order walked, and says what is not in use in a word", async () => {
    const placed = (ref: string, longitude: number, state = "in use") => ({
      ...LINE,
      ref,
      name: ref,
      longitude,
      latitude: 39,
      state,
    });
    const visit = (station: string, walk: number) => ({
      station,
      sensor: "",
      name: station,
      why: "stuck",
      by_hand: false,
      walk,
    });
    answerWith({
      "/api/stations": {
        ...PLACES,
        outlines: [
          {
            block: "hoya",
            name: "Hoya",
            corners: [
              [-3.03, 38.99],
              [-2.99, 38.99],
              [-2.99, 39.01],
              [-3.03, 39.01],
            ],
          },
        ],
        stations: [placed("a", -3), placed("b", -3.01), placed("c", -3.02, "settling")],
      },
      "/api/round": { blocks: [], to_see: [visit("b", 1), visit("a", 2), visit("b", 1)], walk_m: 864 },
    });
    show(<StationsPage />);
    const told = await screen.findByText(/to visit, 864 m as the crow flies/);
    expect(told.textContent).toContain("2 stations");
    const map = screen.getByRole("region", { name: "Where everything is" });
    const numbers = [...map.querySelectorAll(".map-number")].map((one) => one.textContent);
    expect(numbers).toEqual(["2", "1"]); // a is walked to second
    expect(within(map).getByText("c, settling")).toBeTruthy();
  });
});

describe("a station", () => {
  it("says what is not used for advice, and what was there before", async () => {
    station();
    expect(await screen.findByText("settling for 3 days")).toBeTruthy();
    expect(screen.getByText("before: cs-9")).toBeTruthy();
    expect(screen.getByText("installed 1 Mar")).toBeTruthy();
    expect(screen.getByText("flag stands")).toBeTruthy();
  });

  it("begins the installation that fits its sensors when it is planned", async () => {
    const planned = {
      ...SHEET,
      line: { ...LINE, state: "planned", state_words: "planned, not in the ground" },
    };
    const { asked } = station(planned);
    expect(await screen.findByText(LINE.window)).toBeTruthy();
    const method = (await screen.findByLabelText("How it is installed")) as HTMLSelectElement;
    expect(method.value).toBe("pit");
    fireEvent.change(method, { target: { value: "hole" } });
    fireEvent.click(screen.getByRole("button", { name: "Install it" }));
    const sent = await posted(asked);
    expect(sent.procedure_runs[0]).toMatchObject({ procedure: "hole", station: "hoya/a", started: FARM.now });
    expect(await screen.findByText("the run")).toBeTruthy();
  });

  it("goes on with an installation under way", async () => {
    station({ ...SHEET, line: { ...LINE, state: "installing", open_run: "r7" } });
    const link = await screen.findByRole("link", { name: "Go on installing" });
    expect(link.getAttribute("href")).toBe("/run/r7");
  });

  it("replaces a sensor and logs it in one go", async () => {
    const { asked } = station();
    fireEvent.click(await screen.findByRole("button", { name: "Replace a sensor" }));
    const dialog = within(await screen.findByRole("dialog"));
    fireEvent.change(await dialog.findByLabelText("Device from the register"), { target: { value: "cs-8" } });
    expect(dialog.getByText(/cs-8 has no calibration of its own/)).toBeTruthy();
    fireEvent.change(dialog.getByLabelText("Why"), { target: { value: "drifted" } });
    fireEvent.click(dialog.getByRole("button", { name: "Save" }));
    const sent = await posted(asked);
    expect(sent.placements).toEqual([
      { sensor: "hoya/a/10", device: "cs-8", since: FARM.now, why: "drifted" },
    ]);
    expect(sent.visits[0].note).toBe("10 cm: cs-10 out, cs-8 in. drifted");
  });

  it("keeps the dialog open when the server refuses", async () => {
    const { asked } = station();
    fireEvent.click(await screen.findByRole("button", { name: "Move it" }));
    const dialog = within(await screen.findByRole("dialog"));
    fireEvent.change(dialog.getByLabelText("Longitude"), { target: { value: "-15.2" } });
    fireEvent.change(dialog.getByLabelText("Latitude"), { target: { value: "38.4" } });
    fireEvent.click(dialog.getByRole("button", { name: "Save move" }));
    const sent = await posted(asked);
    expect(sent.blocks[0].stations[0]).toMatchObject({ key: "a", longitude: -15.2, moved: FARM.now });
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
    answerWith({});
    fireEvent.click(screen.getByRole("button", { name: "Log a visit" }));
    const visit = within(await screen.findByRole("dialog"));
    fireEvent.click(visit.getByRole("button", { name: "Save visit" }));
    expect((await visit.findByRole("alert")).textContent).toContain("nothing here");
  });

  it("stands for other blocks at once, and takes it back", async () => {
    const two = {
      ...FARM,
      blocks: [...FARM.blocks, { ...FARM.blocks[0], key: "llano", name: "Llano" }],
    } as typeof FARM;
    const { asked } = station(SHEET, two);
    fireEvent.click(await screen.findByText("Stands for other blocks too"));
    const box = screen.getByLabelText("Llano") as HTMLInputElement;
    fireEvent.click(box);
    expect(box.checked).toBe(true);
    expect((await posted(asked)).blocks[0].stations[0].stands_for).toEqual(["llano"]);
  });

  it("prints a tag for either end of each wire", async () => {
    answerWith({ "/api/stations/hoya/a": SHEET });
    show(
      <Routes>
        <Route path="stations/:block/:station/tags" element={<TagsPage />} />
      </Routes>,
      FARM,
      "/stations/hoya/a/tags",
    );
    expect(await screen.findAllByText("sensor end")).toHaveLength(2);
    expect(screen.getAllByText("logger end")).toHaveLength(2);
  });
});

describe("the channel check", () => {
  it("sends what was read before and after each touch", async () => {
    const answers = answerWith({ "/api/stations/hoya/a": SHEET, "/api/farm": DONE });
    show(
      <Routes>
        <Route path="stations/:block/:station/check" element={<ChannelCheckPage />} />
        <Route path="stations/:block/:station/check/:check" element={<p>found</p>} />
      </Routes>,
      FARM,
      "/stations/hoya/a/check",
    );
    const type = async (label: string, value: string) =>
      fireEvent.change(await screen.findByLabelText(label), { target: { value } });
    await type("SM10 before", "20");
    await type("SM30 before", "21");
    await type("SM10 with 10 cm touched", "30,5");
    await type("SM30 with 10 cm touched", "21");
    fireEvent.click(screen.getByRole("button", { name: "See which moved" }));
    const sent = await posted(answers.asked);
    expect(sent.channel_checks[0].touches).toEqual([
      { sensor: "10", before: { SM10: 20, SM30: 21 }, after: { SM10: 30.5, SM30: 21 } },
    ]);
    expect(await screen.findByText("found")).toBeTruthy();
  });

  it("offers the swap it found", async () => {
    const check = {
      key: "c1",
      station: "hoya/a",
      at: "2026-07-14T05:00+02:00",
      swapped: false,
      touches: [
        {
          sensor: "10",
          depth_cm: 10,
          channel: "SM10",
          moved: "SM30",
          agrees: false,
          words: "SM30 moved, SM10 is written",
        },
        {
          sensor: "30",
          depth_cm: 30,
          channel: "SM30",
          moved: "SM10",
          agrees: false,
          words: "SM10 moved, SM30 is written",
        },
      ],
      swaps: [{ one: "10", other: "30" }],
    };
    const { asked } = answerWith({
      "/api/stations/hoya/a": SHEET,
      "/api/channel-checks/c1": check,
      "/swap": { ...check, swapped: true, swaps: [] },
    });
    show(
      <Routes>
        <Route path="stations/:block/:station/check/:check" element={<ChannelCheckPage />} />
      </Routes>,
      FARM,
      "/stations/hoya/a/check/c1",
    );
    expect(await screen.findByText("10 cm and 30 cm: the wires are crossed")).toBeTruthy();
    expect(screen.getAllByText("wrong")).toHaveLength(2);
    fireEvent.click(screen.getByRole("button", { name: "Swap channels only" }));
    expect(await posted(asked)).toEqual({ with_readings: false });
  });
});

describe("what to measure", () => {
  const CHOICE = {
    choice: "profile",
    title: "One profile probe",
    instrument: "profile probe",
    stations: 1,
    depths_cm: [10, 20, 30],
    watch_cm: 30,
    sensors: 3,
    first_year: 900,
    later_years: 100,
    total: 1100,
    tells: ["when to irrigate"],
    cannot_tell: ["how uneven the block is"],
  };
  const PLAN = {
    block: "Hoya",
    root_depth_cm: 25,
    soil_depth_cm: 120,
    seasons: 3,
    labour_per_h: 20,
    visits: 20,
    chosen: "",
    choices: [CHOICE],
    costs: [
      {
        kind: "profile probe",
        per: "probe",
        buy: 700,
        install: 60,
        yearly_fee: 275,
        install_min: 60,
        visit_min: 10,
        source: "common practice, no source",
      },
    ],
    notes: ["the soil changes at 20 cm"],
    ways: [
      {
        reading: "hand",
        by: "own",
        title: "Read by hand, your own work",
        convenience: "A walk every round.",
        duties: ["Walk the round weekly", "Decide"],
        first_year: 500,
        later_years: 80,
        total: 660,
      },
    ],
    zones: [
      { key: "llano", name: "Llano", fits: true, why: "" },
      { key: "cuesta", name: "Cuesta", fits: false, why: "Cuesta differs: slope 12 % there, 2 % here" },
    ],
  };

  it("chooses a way, with the farm's own costs", async () => {
    const { asked } = answerWith({ "/api/blocks/hoya/instruments": PLAN, "/api/farm": DONE });
    show(
      <Routes>
        <Route path="stations/plan/:block" element={<InstrumentPage />} />
      </Routes>,
      FARM,
      "/stations/plan/hoya",
    );
    expect(await screen.findByText("the soil changes at 20 cm")).toBeTruthy();
    expect(screen.getByText("Walk the round weekly. Decide.")).toBeTruthy();
    expect(screen.getByText("A station here can stand for Llano.")).toBeTruthy();
    expect(screen.getByText("Not for Cuesta differs: slope 12 % there, 2 % here.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("profile probe: buy"), { target: { value: "650" } });
    fireEvent.click(screen.getByRole("button", { name: "Choose it" }));
    expect((await posted(asked)).instrument_plans[0]).toMatchObject({
      key: "hoya",
      choice: "profile",
      costs: { "profile probe": { buy: 650 } },
    });
  });
});

describe("a station through the season", () => {
  it("draws the hole with the farm's marks and says what is watched only", async () => {
    station({
      ...SHEET,
      sensors: [SHEET.sensors[0], { ...SHEET.sensors[1], depth_known: false }] as typeof SHEET.sensors,
      unknown: ["hoya/a/30"],
    });
    expect(await screen.findByRole("img", { name: /The hole: 10 cm 1; 30 cm 2/ })).toBeTruthy();
    expect(screen.getByText("watched only")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Find out about it" })).toBeTruthy();
  });

  it("holds each sensor's years against each other, and names the one that drifted", async () => {
    const year = (last_day: string, wet_theta: number) => ({
      last_day,
      wet_theta,
      dry_theta: 0.22,
      dawns: 365,
    });
    const years = {
      kind: "drift" as const,
      words: "it has drifted: full soil reads 0.030 drier than in the year to 14 Jul 2024",
      years: [year("2024-07-14", 0.34), year("2026-07-14", 0.31)],
    };
    station({ ...SHEET, sensors: [sensor("10"), sensor("30", { years })] });
    const told = (await screen.findByRole("region", { name: "Year over year" })).textContent;
    expect(told).toContain("30 cm it has drifted: full soil reads 0.030 drier");
    expect(told).toContain("2024: 0.220 to 0.340");
    expect(told).not.toContain("10 cm");
  });

  it("stands for another block only after somebody accepted what differs", async () => {
    const zone = {
      key: "llano",
      name: "Llano",
      fits: false,
      differs: "slope 12 % there, 2 % here",
      accepted: "",
    };
    const { asked } = station({ ...SHEET, stands_for: ["llano"], zones: [zone] }, {
      ...FARM,
      blocks: [...FARM.blocks, { ...FARM.blocks[0], key: "llano", name: "Llano" }],
    } as typeof FARM);
    fireEvent.click(await screen.findByRole("button", { name: "accept it, with a note" }));
    fireEvent.change(screen.getByLabelText("Why it may stand for it"), { target: { value: "same terrace" } });
    fireEvent.click(screen.getByRole("button", { name: "Accept from today" }));
    expect((await posted(asked)).zone_acceptances[0]).toMatchObject({
      block: "llano",
      station: "hoya/a",
      note: "same terrace",
    });
  });

  it("keeps when a logger was read out by hand", async () => {
    const { asked } = station();
    fireEvent.click(await screen.findByRole("button", { name: "its logger is read out by hand" }));
    fireEvent.change(screen.getByLabelText("Readings it holds, each channel"), { target: { value: "8192" } });
    fireEvent.click(screen.getByRole("button", { name: "Save read-out" }));
    expect((await posted(asked)).logger_memories[0]).toMatchObject({
      station: "hoya/a",
      holds: 8192,
      every_min: 60,
    });
  });
});

describe("siting", () => {
  const RULE = {
    rule: "edge",
    fact: "edge_m",
    kind: "min",
    low: 45,
    high: null,
    unit: "m",
    must: true,
    question: "Distance to the edge",
    wanted: "45 m or more",
    reason: "edges are compacted",
    source: "common practice, no source",
  };
  const LEVEL = {
    ...RULE,
    rule: "landform",
    fact: "level_ground",
    kind: "is",
    question: "Level ground",
    wanted: "yes",
  };
  const SPOT = {
    key: "s1",
    name: "west",
    longitude: null,
    latitude: null,
    facts: { edge_m: 20 },
    row: "",
    inlet_m: null,
    chosen: false,
    station: "",
    note: "",
    edge_from_outline_m: null,
    word: "not here",
    share: 0,
    judged: [
      { rule: "edge", outcome: "no", words: "20 m" },
      { rule: "landform", outcome: "not known", words: "" },
    ],
  };

  function siting() {
    const answers = answerWith({
      "/api/blocks/hoya/siting": {
        block: "Hoya",
        system: "drip",
        outline: null,
        rules: [RULE, LEVEL],
        spots: [SPOT],
        cautions: ["all stand in row 12"],
      },
      "/api/farm": DONE,
      "/api/stations": PLACES,
    });
    show(
      <UndoProvider>
        <Routes>
          <Route path="stations/siting/:block" element={<SitingPage />} />
        </Routes>
      </UndoProvider>,
      FARM,
      "/stations/siting/hoya",
    );
    return answers;
  }

  it("says why a spot is refused, and takes an answer", async () => {
    const { asked } = siting();
    expect(await screen.findByText("west: not here")).toBeTruthy();
    expect(screen.getByText(/this refuses the spot/)).toBeTruthy();
    expect(screen.getByText("all stand in row 12")).toBeTruthy();
    const answers = within(screen.getByRole("group", { name: "Level ground" }));
    fireEvent.click(answers.getByRole("button", { name: "yes" }));
    const sent = await posted(asked);
    expect(sent.spots[0]).toMatchObject({
      key: "s1",
      block: "hoya",
      facts: { edge_m: 20, level_ground: true },
    });
    expect(sent.spots[0].word).toBeUndefined();
  });

  it("stores a number when its entry is left", async () => {
    const { asked } = siting();
    const entry = await screen.findByLabelText("Distance to the edge");
    fireEvent.change(entry, { target: { value: "60" } });
    fireEvent.blur(entry);
    expect((await posted(asked)).spots[0].facts).toEqual({ edge_m: 60 });
  });
});

describe("parts of a station", () => {
  it("reads depths and keeps what is no number", () => {
    expect(depthsFrom("10 20,5; 30")).toEqual([10, 20.5, 30]);
    expect(depthsFrom("10 deep")).toEqual([10, "deep"]);
  });

  it("finds a free key, a unit and a method", () => {
    expect(freeKey("Sonda Ñandú 1", [])).toBe("sonda-nandu-1");
    expect(freeKey("probe", ["probe", "probe-2"])).toBe("probe-3");
    expect([unitOf("tensiometer"), unitOf("home-made capacitance sensor"), unitOf("profile probe")]).toEqual([
      "kPa",
      "count",
      "%",
    ]);
    expect([
      methodFor("profile probe"),
      methodFor("granular matrix sensor"),
      methodFor("tensiometer"),
    ]).toEqual(["profile", "hole", "tensiometer"]);
  });
});
