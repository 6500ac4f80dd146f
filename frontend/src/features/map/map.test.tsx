import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { cellValues, spanOf, unsure, valuesOn, wetness } from "./cells";
import { draftOf, featuresOf, REST } from "./drafting";
import { FarmMapPage } from "./FarmMapPage";
import { MapPage } from "./MapPage";
import type { BlockMap, FarmFromAbove, Ground, Nodes, Zones } from "./queries";

afterEach(() => {
  cleanup();
  localStorage.clear();
  vi.unstubAllGlobals();
});

const node = (ref: string, x_m: number, value: number | null, lasting: "" | "dry" | "wet" = "") => ({
  ref,
  name: `node ${ref}`,
  longitude: -15.2,
  latitude: 38.4,
  x_m,
  y_m: 10,
  value,
  error: 3,
  rank: 1,
  difference_mm: -6,
  lasting,
});

const GROUND: Ground = {
  cell_m: 10,
  rows: 1,
  columns: 3,
  west_m: 0,
  south_m: 0,
  inside: [0, 1, 2],
  of: ["a", "b"],
  weights: [
    [1, 0],
    [0.5, 0.5],
    [0.1, 0.9],
  ],
  doubt: [1, 2, 9],
  blank: [false, false, true],
  error: 5,
  mean_error: 7,
  nearest_error: 8,
  sill: 10,
  range_m: 180,
  nugget: 2,
  chance: 0.004,
  lags: [{ distance_m: 60, semivariance: 6, pairs: 20 }],
};

const MAP: BlockMap = {
  key: "loma",
  name: "Loma",
  as_of: FARM.now,
  what: "depletion",
  unit: "mm",
  mean: 20,
  headline: "Told by its neighbours a node is off by 5 mm as a rule, by the block's mean 7 mm",
  why_not: "",
  nodes: [node("a", 5, 10), node("b", 25, 30, "dry")],
  outline: [
    { x_m: 0, y_m: 0 },
    { x_m: 30, y_m: 0 },
    { x_m: 30, y_m: 20 },
  ],
  zones: [],
  soils: [],
  soil_words: "",
  plane: { longitude: -15.2, latitude: 38.4, east_m: 87355, north_m: 110996 },
  ground: GROUND,
  days: [
    { day: "2026-07-12", values: [4, 40] },
    { day: "2026-07-13", values: [null, 24] },
  ],
  stands: ["node b always lies 6 mm drier than the block: look for a clogged line"],
  why_no_stands: "",
  next_node: {
    x_m: 15,
    y_m: 10,
    longitude: -15.19,
    latitude: 38.41,
    words: "A node more teaches most there",
  },
};

describe("the cells", () => {
  it("are the nodes by their weights, blank ones aside", () => {
    expect(cellValues(GROUND, valuesOn(MAP, undefined))).toEqual([10, 20, null]);
  });

  it("leave the weight of a node that was not read to the others, or nothing where it was all", () => {
    expect(cellValues(GROUND, valuesOn(MAP, 1))).toEqual([null, 24, null]);
  });

  it("mean the same colour on every day of the season", () => {
    const span = spanOf(MAP);
    expect(span).toEqual({ low: 4, high: 40 });
    expect(wetness(MAP, span, 4)).toBe(1);
    expect(wetness(MAP, span, 40)).toBe(0);
    expect(wetness({ ...MAP, what: "available" }, { low: 0, high: 1 }, 0.25)).toBe(0.25);
  });

  it("are as unsure as the ground varies, and no more", () => {
    expect(unsure(GROUND, 0)).toBeCloseTo(1 / 3);
    expect(unsure(GROUND, 2)).toBe(1);
  });
});

type Zone = Zones["zones"][number];
const zone = (number: number, part: Partial<Zone>): Zone => ({
  number,
  name: `zone ${number}`,
  share: 0.5,
  area_ha: 3.6,
  difference_mm: null,
  lacks_mm: null,
  error_mm: null,
  gross_mm: null,
  stations: 1,
  shift: "",
  due_at: null,
  set_gross_mm: null,
  by: "",
  why_not: "",
  ...part,
});
const ZONES: Zones = {
  key: "loma",
  name: "Loma",
  as_of: FARM.now,
  kept: false,
  shifts: ["top", "low"],
  why_not: "",
  zones: [
    zone(1, { share: 0.4, area_ha: 2.9, difference_mm: -6, lacks_mm: 21, error_mm: 2, gross_mm: 23.3 }),
    zone(2, { share: 0.6, area_ha: 4.3, difference_mm: 4, lacks_mm: 9, error_mm: 1.5, gross_mm: 10 }),
  ],
  cells: [0, 1, 1],
  uniform_mm: 23.3,
  by_zone_mm: 15.3,
  saved_mm: 8,
  saved_error_mm: 1.6,
  words: "8 mm less over the block than the amount of the driest zone for all, ± 2 mm",
  sectors: [],
};

const heard = (name: string, part: Partial<Nodes["nodes"][number]> = {}): Nodes["nodes"][number] => ({
  station: `loma/${name}`,
  name: `node ${name}`,
  longitude: -15.2,
  latitude: 38.4,
  depths_cm: [10, 30],
  last_heard: "2026-07-14T05:00+02:00",
  every_min: 60,
  expected: 168,
  missed: 0,
  end_run: null,
  end_done: [],
  end_due: null,
  gateway: "hill",
  battery_v: 3.9,
  battery_low: false,
  signal_dbm: -88,
  out: false,
  ...part,
});
const NODES: Nodes = {
  key: "loma",
  name: "Loma",
  as_of: FARM.now,
  nodes: [
    heard("b", { last_heard: "2026-07-10T05:00+02:00", missed: 97, battery_v: 3.1, battery_low: true }),
    heard("a"),
  ],
};

function open(map: BlockMap, zones: Zones = ZONES) {
  const { asked } = answerWith({
    "/api/blocks/loma/map": map,
    "/api/blocks/loma/zones": zones,
    "/api/blocks/loma/nodes": NODES,
  });
  show(
    <Routes>
      <Route path="/block/:key/map" element={<MapPage />} />
    </Routes>,
    FARM,
    "/block/loma/map",
  );
  return asked;
}

describe("the map of a block", () => {
  it("says its error above it, what lasts, and how alike neighbours are", async () => {
    open(MAP);
    expect(await screen.findByText("Loma: one place is always dry or always wet")).toBeTruthy();
    expect(screen.getByText(/Told by its neighbours a node is off by 5 mm/)).toBeTruthy();
    const drawn = screen.getByRole("img", { name: /Map of Loma; Told by its neighbours.*node b always dry/ });
    expect(drawn.textContent).toContain("10");
    expect(drawn.textContent).toContain("always dry");
    expect(screen.getByText(/As much likeness by accident: 0.4 %/)).toBeTruthy();
    expect(screen.getByRole("link", { name: "GeoJSON" }).getAttribute("href")).toBe(
      "/api/blocks/loma/map.geojson?what=depletion",
    );
  });

  it("goes through the dawns of the season", async () => {
    open(MAP);
    fireEvent.change(await screen.findByLabelText("Day of the season"), { target: { value: "0" } });
    expect(screen.getByText("Dawn of 12 Jul 2026")).toBeTruthy();
    expect(screen.getByRole("img", { name: /Map of Loma/ }).textContent).toContain("40");
    fireEvent.change(screen.getByLabelText("Day of the season"), { target: { value: "2" } });
    expect(screen.getByText("Now")).toBeTruthy();
  });

  it("asks for another quantity", async () => {
    const asked = open(MAP);
    fireEvent.change(await screen.findByLabelText("What"), { target: { value: "available" } });
    await waitFor(() => expect(asked.some((r) => r.url.includes("what=available"))).toBe(true));
  });

  it("says what to give where, and what that saves", async () => {
    open(MAP);
    const told = (await screen.findByRole("region", { name: "Zones" })).textContent;
    expect(told).toContain("6 mm drier");
    expect(told).toContain("21 ± 2 mm");
    expect(told).toContain("8 mm less over the block");
  });

  it("gives one amount for all where the zones are alike, and a pivot its speeds", async () => {
    open(MAP, {
      ...ZONES,
      zones: [],
      why_not: "The zones differ by less than the map's doubt: one amount for all",
    });
    expect(await screen.findByText(/one amount for all\./)).toBeTruthy();
    cleanup();
    const sector = { from_deg: 30, to_deg: 60, gross_mm: 12, speed: 0.39 };
    open(MAP, { ...ZONES, sectors: [sector, { ...sector, from_deg: 60, speed: null }] });
    expect(await screen.findByText(/30° 39 %, 60° –\./)).toBeTruthy();
  });

  it("lists the nodes, the longest silent first, and takes more from a table", async () => {
    const asked = open(MAP);
    const told = await screen.findByRole("region", { name: "Nodes" });
    expect(told.textContent).toContain("2 here, the longest silent first");
    expect(told.textContent).toMatch(
      /node b.*heard 10 Jul 2026, 05:00.*97 of 168 readings of the last week missing.*3.1 V.*node a/,
    );
    fireEvent.click(screen.getByRole("button", { name: "Add nodes from a table" }));
    const table = new File(["x"], "nodes.csv", { type: "text/csv" });
    table.text = async () => "node,longitude,latitude\nfrom a file,-15.2,38.4";
    fireEvent.change(await screen.findByLabelText("A file: CSV, spreadsheet or GeoJSON"), {
      target: { files: [table] },
    });
    await vi.waitFor(() => expect(screen.getByRole("textbox").getAttribute("name")).toBe("text"));
    await vi.waitFor(() =>
      expect((screen.getByRole("textbox") as HTMLTextAreaElement).value).toContain("from a file"),
    );
    const text = "node,longitude,latitude,depths_cm\nLow,-15.2,38.4,20";
    fireEvent.change(screen.getByLabelText(/CSV or GeoJSON/), { target: { value: text } });
    fireEvent.click(screen.getByRole("button", { name: "Add them" }));
    await waitFor(async () => expect(await sentTo(asked, "/loma/nodes")).toEqual({ text }));
  });

  it("says plainly where a map would be invention", async () => {
    open({
      ...MAP,
      ground: null,
      next_node: null,
      headline: "",
      why_not: "only 2 nodes told the same thing; a map needs 5, and with fewer it would be invention",
      stands: [],
      why_no_stands: "only 2 nodes",
    });
    expect(await screen.findByText("Loma: no map")).toBeTruthy();
    expect(screen.getByText(/No map: only 2 nodes told the same thing/)).toBeTruthy();
    expect(screen.queryByRole("link", { name: "GeoJSON" })).toBeNull();
  });
});

const KEPT: Zones = {
  ...ZONES,
  kept: true,
  zones: [
    zone(1, {
      name: "shoulder",
      lacks_mm: 12,
      error_mm: 2,
      gross_mm: 13,
      set_gross_mm: 22,
      due_at: "2026-07-15T20:00+02:00",
      shift: "top",
    }),
    zone(2, { name: "hollow", why_not: "no station stands in it" }),
    zone(3, {
      name: "edge",
      lacks_mm: 3,
      error_mm: 4,
      gross_mm: 3,
      by: "by node a, which stands in another zone",
    }),
  ],
};
const RING = [
  { x_m: 0, y_m: 0 },
  { x_m: 10, y_m: 0 },
  { x_m: 10, y_m: 10 },
];
const PARTED: BlockMap = {
  ...MAP,
  zones: [
    { name: "shoulder", rings: [RING] },
    { name: "hollow", rings: [] },
    { name: "edge", rings: [RING] },
  ],
  soils: [{ name: "sand", rings: [RING] }],
  soil_words: "Each soil zone has a mean of its own",
};

describe("zones", () => {
  it("that were kept say their next set, what tells them, and why nothing is known", async () => {
    open(PARTED, KEPT);
    const told = (await screen.findByRole("region", { name: "Zones" })).textContent;
    expect(told).toContain("shoulderpart: top");
    expect(told).toContain("22 mm, 15 Jul 2026");
    expect(told).toContain("no advice because no station stands in it");
    expect(told).toContain("by node a, which stands in another zone");
    expect(screen.getByText(/Each soil zone has a mean/)).toBeTruthy();
    expect(screen.getByRole("img", { name: /Map of Loma/ }).textContent).toContain("shoulder");
  });

  it("become GeoJSON, the rest without a shape", () => {
    const [first, rest] = JSON.parse(
      featuresOf([{ ...REST, name: "a", rings: [RING], station: "n1", accepted: "alike" }, REST], MAP.plane),
    ).features;
    expect(first.geometry.coordinates[0][0]).toHaveLength(4);
    expect(first.geometry.coordinates[0][0][1][0]).toBeCloseTo(-15.2 + 10 / 87355, 6);
    expect(first.properties).toEqual({ name: "a", station: "n1", accepted: "alike" });
    expect(rest.geometry).toBeNull();
    expect(draftOf(PARTED, KEPT).map((z) => z.shift)).toEqual(["top", "", ""]);
    expect(draftOf(MAP, ZONES)).toEqual([REST]);
  });

  it("are drawn by the keyboard, named, and kept all at once", async () => {
    const asked = open(MAP);
    fireEvent.click(await screen.findByRole("button", { name: "Draw zones" }));
    fireEvent.click(screen.getByRole("button", { name: "Draw a zone" }));
    const pen = screen.getByRole("button", { name: /Corners of the zone/ });
    for (const key of ["ArrowLeft", "ArrowUp", "ArrowRight"]) {
      fireEvent.keyDown(pen, { key });
      fireEvent.click(pen, { detail: 0 });
    }
    fireEvent.keyDown(pen, { key: "Backspace" });
    expect((screen.getByRole("button", { name: "Close the ring" }) as HTMLButtonElement).disabled).toBe(true);
    fireEvent.keyDown(pen, { key: "ArrowDown" });
    fireEvent.click(pen, { detail: 0 });
    fireEvent.click(screen.getByRole("button", { name: "Close the ring" }));
    fireEvent.change(screen.getByLabelText("Name of the zone"), { target: { value: "wet corner" } });
    fireEvent.change(screen.getAllByLabelText("Watered by itself as")[0] as HTMLElement, {
      target: { value: "low" },
    });
    fireEvent.click(screen.getByRole("button", { name: "Keep these zones" }));
    await waitFor(async () => {
      const sent = (await sentTo(asked, "/loma/zones")) as { kind: string; text: string };
      const { features } = JSON.parse(sent.text);
      expect(features.map((f: { properties: { name: string } }) => f.properties.name)).toEqual([
        "wet corner",
        "rest of the block",
      ]);
      expect(features[0].properties.shift).toBe("low");
    });
  });

  it("give way to one amount again", async () => {
    const asked = open(PARTED, KEPT);
    fireEvent.click(await screen.findByRole("button", { name: "One amount for all again" }));
    await waitFor(async () =>
      expect(((await sentTo(asked, "/loma/zones")) as { text: string }).text).toContain('"features":[]'),
    );
  });
});

describe("the season's end of nodes", () => {
  it("is ticked for the chosen ones at once", async () => {
    const asked = open(MAP);
    fireEvent.click(await screen.findByLabelText("Choose node a"));
    fireEvent.click(screen.getByRole("button", { name: "Cleaned" }));
    await waitFor(async () =>
      expect(await sentTo(asked, "/season-end")).toEqual({ nodes: ["a"], step: "clean" }),
    );
  });
});

describe("the farm from above", () => {
  const FROM_ABOVE: FarmFromAbove = {
    as_of: FARM.now,
    what: "available",
    unit: "",
    blocks: [
      {
        key: "loma",
        name: "Loma",
        outline: MAP.outline,
        value: 0.62,
        lowest: 0.3,
        highest: 0.9,
        nodes: 24,
        cells: {
          cell_m: 10,
          rows: 1,
          columns: 3,
          west_m: 0,
          south_m: 0,
          inside: [0, 1],
          values: [0.5, null],
        },
        why_not: "",
      },
      {
        key: "vega",
        name: "Vega",
        outline: MAP.outline,
        value: null,
        lowest: null,
        highest: null,
        nodes: 0,
        cells: null,
        why_not: "only 0 nodes told the same thing",
      },
    ],
    nowhere: ["Sur"],
  };

  it("says what each block tells, and who has no outline", async () => {
    const { asked } = answerWith({ "/api/map": FROM_ABOVE });
    show(
      <Routes>
        <Route path="/map" element={<FarmMapPage />} />
      </Routes>,
      FARM,
      "/map",
    );
    expect(
      await screen.findByText("The farm from above: 1 of 2 blocks tell this, one is known within itself"),
    ).toBeTruthy();
    expect(screen.getByText("62 %, 30 to 90, 24 stations")).toBeTruthy();
    expect(screen.getByText("no reading")).toBeTruthy();
    expect(screen.getByText("Without an outline: Sur.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("What"), { target: { value: "depletion" } });
    await waitFor(() => expect(asked.some((r) => r.url.includes("what=depletion"))).toBe(true));
  });
});
