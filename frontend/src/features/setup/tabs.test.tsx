import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { BlockEditPage } from "./BlockEditPage";
import { cornersFromText, geoJsonOf, ringFromGeoJson } from "./geojson";
import { horizonPart, typedHorizon } from "./HorizonEntries";
import { SetupIndex } from "./SetupIndex";
import { systemPart } from "./systemEntries";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const HORIZON = {
  top_cm: 0,
  bottom_cm: 60,
  texture: null,
  sand_fraction: 0.4,
  clay_fraction: 0.2,
  organic_matter_pct: 1,
  stones_fraction: 0.1,
  bulk_density_g_cm3: null,
  restricts_roots: false,
};

const value = (name: string, label: string, library: number | null, own: number | null, unit = "") => ({
  name,
  label,
  unit,
  library_value: library,
  value: own ?? library,
  changed: own !== null,
  source: {
    kind: own === null ? "table" : "entry",
    title: "FAO-56",
    detail: own === null ? "" : `changed from ${library}`,
  },
});

const SETUP = {
  document: {
    soils: [{ key: "loam", name: "loam", horizons: [HORIZON] }],
    supplies: [],
    systems: [
      {
        key: "drip",
        name: "drip",
        kind: "drip",
        efficiency_fraction: 0.9,
        flow_l_h: 2,
        spacing_m: 0.5,
        line_spacing_m: 3,
        per_point: 1,
        rate_mm_h: null,
        pivot: null,
        furrows: null,
      },
    ],
    blocks: [
      {
        key: "hoya",
        name: "Hoya",
        area_ha: 4.5,
        crop: "almond",
        soil: "loam",
        system: "drip",
        supply: null,
        wetted_fraction: 0.5,
        outline: null,
        row_spacing_m: 6,
      },
    ],
  },
  crop: {
    crop: "almond no cover",
    values: [
      value("root_depth_cm", "Root depth", 100, 90, "cm"),
      value("kc_mid", "Kc, mid season", 0.9, null),
    ],
    window_state: "open",
    window: "A crop that stays: best while dormant.",
  },
  outline: null,
  supplies: [],
  uniformity: [
    {
      key: "u1",
      on: "2026-04-02",
      kind: "cans",
      who: "Tomás",
      count: 16,
      du_low_quarter: 0.8447,
      christiansen_cu: 0.907,
      efficiency_fraction: 0.8447,
    },
  ],
};

const CURVES = {
  horizons: [
    {
      top_cm: 0,
      bottom_cm: 60,
      texture: "loam",
      theta_full: 0.25,
      theta_wilting: 0.12,
      theta_saturation: 0.42,
      full_tension_kpa: 33,
      ks_mm_h: 15,
      bulk_density_g_cm3: 1.4,
      available_mm: 78,
      points: [
        { tension_kpa: 10, theta: 0.3 },
        { tension_kpa: 1500, theta: 0.12 },
      ],
      full_source: { kind: "equation", title: "Saxton & Rawls", detail: "" },
      cautions: ["clay above 60 % is outside the soils"],
    },
  ],
  root_limit_cm: 40,
};

function edit(tab: string, more: Record<string, unknown> = {}) {
  const answers = answerWith({
    "/api/blocks/hoya/setup": SETUP,
    "/api/stations": { stations: [], outlines: [], blocks_without: [] },
    "/api/soil-curves": CURVES,
    "/api/choices": { textures: ["loam", "clay"], crops: [] },
    "/api/library": {
      crops: [],
      feel: [{ texture: "loam", ribbon: "under 2.5", feel: "neither" }],
      practice: [],
    },
    "/api/system-facts": { rate_mm_h: 1.33, flow_m3_h: 60, notes: ["the circle is smaller"] },
    "/api/wetted-share": { wetted_fraction: 0.3, usual_low_m: 0.8, usual_high_m: 1.2, source: "" },
    "/api/uniformity": {
      count: 4,
      mean: 25,
      low_quarter_mean: 22,
      du_low_quarter: 0.88,
      christiansen_cu: 0.93,
      efficiency_fraction: 0.88,
    },
    "/api/farm": { created: {}, changed: {}, unchanged: {} },
    ...more,
  });
  show(
    <Routes>
      <Route path="setup/:key" element={<BlockEditPage />} />
    </Routes>,
    FARM,
    `/setup/hoya?tab=${tab}`,
  );
  return answers;
}

const stored = async (asked: Request[]) => {
  const find = () => asked.find((r) => r.method === "POST" && r.url.endsWith("/api/farm"));
  await waitFor(() => expect(find()).toBeTruthy());
  return find()?.json();
};

describe("a block's set-up", () => {
  it("stores the land and leaves what belongs elsewhere", async () => {
    const { asked } = edit("land");
    fireEvent.change(await screen.findByLabelText("Slope, %"), { target: { value: "9" } });
    fireEvent.change(screen.getByLabelText("Between plants, m"), { target: { value: "2,5" } });
    fireEvent.change(screen.getByLabelText(/or type corners/), {
      target: { value: "-15.2 38.4\n-15.19, 38.4\n-15.19 38.41" },
    });
    fireEvent.blur(screen.getByLabelText(/or type corners/));
    fireEvent.click(screen.getByRole("button", { name: "Save block" }));
    const [block] = (await stored(asked)).blocks;
    expect(block).toMatchObject({
      key: "hoya",
      crop: "almond",
      slope_pct: 9,
      plant_spacing_m: 2.5,
      area_ha: 4.5,
    });
    expect(block.outline).toEqual([
      [-15.2, 38.4],
      [-15.19, 38.4],
      [-15.19, 38.41],
    ]);
    expect(block.stations).toBeUndefined();
    expect(await screen.findByText("Saved.")).toBeTruthy();
  });

  it("names the entry the server refuses", async () => {
    edit("land");
    await screen.findByLabelText("Slope, %");
    vi.stubGlobal(
      "fetch",
      async () =>
        new Response(JSON.stringify({ errors: [{ path: "blocks[0].area_ha", reason: "greater than 0" }] }), {
          status: 422,
          headers: { "content-type": "application/json" },
        }),
    );
    fireEvent.click(screen.getByRole("button", { name: "Save block" }));
    expect(await screen.findByText("greater than 0")).toBeTruthy();
    expect(screen.getByLabelText("Area, ha").getAttribute("aria-invalid")).toBe("true");
  });

  it("shows what follows from the soil at once, and stores it by sand and clay or by class", async () => {
    const { asked } = edit("soil");
    expect(await screen.findByText("Roots stop at 40 cm.")).toBeTruthy();
    expect(screen.getByRole("img").getAttribute("aria-label")).toContain(
      "0 to 60 cm, loam: full 25 %, wilting 12 %",
    );
    expect(screen.getByText(/clay above 60 %/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Texture"), { target: { value: "clay" } });
    expect(screen.queryByLabelText("Sand, %")).toBeNull();
    fireEvent.click(screen.getByLabelText("stops roots"));
    fireEvent.click(screen.getByRole("button", { name: "Save soil" }));
    expect((await stored(asked)).soils[0].horizons[0]).toMatchObject({
      texture: "clay",
      sand_fraction: null,
      bottom_cm: 60,
      stones_fraction: 0.1,
      restricts_roots: true,
    });
  });

  it("asks a pivot for what a pivot needs, and shows what follows", async () => {
    const { asked } = edit("system");
    expect(await screen.findByText("1.33 mm/h")).toBeTruthy();
    expect(screen.getByText("60 m³/h")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("System"), { target: { value: "pivot" } });
    expect(screen.queryByLabelText("Flow of one emitter, L/h")).toBeNull();
    fireEvent.change(screen.getByLabelText("Length, m"), { target: { value: "400" } });
    fireEvent.change(screen.getByLabelText("Hours a turn at 100 %"), { target: { value: "18" } });
    fireEvent.click(screen.getByRole("button", { name: "Save system" }));
    const sent = await stored(asked);
    expect(sent.systems[0]).toMatchObject({
      key: "drip",
      kind: "pivot",
      efficiency_fraction: 0.9,
      pivot: { length_m: 400, turn_h: 18 },
    });
    expect(sent.blocks[0]).toMatchObject({ key: "hoya", system: "drip", wetted_fraction: 0.5 });
  });

  it("takes the wetted share from the wet bulb", async () => {
    edit("system");
    fireEvent.click(await screen.findByText("How much of the ground is wetted?"));
    fireEvent.click(await screen.findByRole("button", { name: "Use this" }));
    expect((screen.getByLabelText("Wetted area, %") as HTMLInputElement).value).toBe("30");
    expect(screen.getByText(/usual here: 0.80 to 1.20 m/)).toBeTruthy();
  });

  it("keeps a supply with its tariff windows", async () => {
    const { asked } = edit("system");
    fireEvent.change(await screen.findByLabelText("Name of the supply"), { target: { value: "North well" } });
    fireEvent.change(screen.getByLabelText("Largest flow, m³/h"), { target: { value: "180" } });
    fireEvent.click(screen.getByRole("button", { name: "add a tariff period" }));
    fireEvent.click(screen.getByRole("button", { name: "Save supply" }));
    const sent = await stored(asked);
    expect(sent.supplies[0]).toMatchObject({ key: "north-well", name: "North well", flow_m3_h: 180 });
    expect(sent.supplies[0].tariffs).toHaveLength(1);
    expect(sent.blocks[0].supply).toBe("north-well");
  });

  it("shows what the crop was changed from; an empty entry goes back to the library", async () => {
    const { asked } = edit("crop");
    expect(await screen.findByText(/changed from 100/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Root depth, this block"), { target: { value: "" } });
    fireEvent.change(screen.getByLabelText("Kc, mid season, this block"), { target: { value: "0,95" } });
    fireEvent.click(screen.getByRole("button", { name: "Save crop" }));
    expect((await stored(asked)).blocks[0]).toMatchObject({
      root_depth_cm: null,
      allowable_depletion_fraction: null,
      crop_values: { kc_mid: 0.95 },
    });
  });

  it("turns catches into an efficiency", async () => {
    const { asked } = edit("uniformity");
    fireEvent.change(await screen.findByLabelText(/^Catches/), { target: { value: "22 25 wet" } });
    expect(screen.getByText("“wet” is no number")).toBeTruthy();
    expect(screen.getByText("DU 84.5 % · CU 90.7 %")).toBeTruthy();
    fireEvent.change(screen.getByLabelText(/^Catches/), { target: { value: "22 25\n27;24,5" } });
    expect(await screen.findAllByText(/^88.0 %/)).toHaveLength(2);
    fireEvent.click(screen.getByRole("button", { name: "Save and set the efficiency" }));
    const sent = await stored(asked);
    expect(sent.uniformity_tests[0]).toMatchObject({
      system: "drip",
      kind: "cans",
      values: [22, 25, 27, 24.5],
      kept_fraction: 1,
    });
    expect(sent.systems[0]).toMatchObject({ key: "drip", efficiency_fraction: 0.88 });
  });

  it("lists the blocks and offers the whole farm as a file", () => {
    show(<SetupIndex />);
    expect(screen.getByRole("link", { name: /Hoya/ }).getAttribute("href")).toBe("/setup/hoya");
    expect(screen.getByRole("link", { name: "farm.json" }).getAttribute("download")).toBe("farm.json");
  });
});

describe("outlines", () => {
  it("come from a polygon wherever it stands in the file", () => {
    const ring = [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 0],
    ];
    const open = ring.slice(0, 3);
    const polygon = { type: "Polygon", coordinates: [ring] };
    expect(ringFromGeoJson(JSON.stringify(polygon))).toEqual(open);
    expect(ringFromGeoJson(JSON.stringify({ type: "Feature", geometry: polygon }))).toEqual(open);
    const many = {
      type: "FeatureCollection",
      features: [
        { type: "Feature", geometry: { type: "Point" } },
        { type: "Feature", geometry: { type: "MultiPolygon", coordinates: [[ring]] } },
      ],
    };
    expect(ringFromGeoJson(JSON.stringify(many))).toEqual(open);
    expect(ringFromGeoJson(geoJsonOf("x", open as [number, number][]))).toEqual(open);
  });

  it("say what is wrong with a file", () => {
    expect(() => ringFromGeoJson("{")).toThrow("not JSON");
    expect(() => ringFromGeoJson('{"type":"Point"}')).toThrow("no Polygon");
    expect(cornersFromText("-15.2 38.4\nnot a corner\n-15.1;38.5")).toEqual([
      [-15.2, 38.4],
      [-15.1, 38.5],
    ]);
  });
});

describe("what was typed", () => {
  it("becomes a horizon again, in the farm's units", () => {
    const typed = typedHorizon(HORIZON, "us");
    expect(typed.bottom).toBe("23.622");
    expect(typed.sand).toBe("40");
    const part = horizonPart({ ...typed, density: "87,4" }, 0, HORIZON, "us");
    expect(part.bottom_cm).toBeCloseTo(60);
    expect(part.bulk_density_g_cm3).toBeCloseTo(1.4, 3);
    expect(part.clay_fraction).toBe(0.2);
  });

  it("becomes a furrow system with what furrows need", () => {
    const part = systemPart(
      { key: "f", name: "f", kind: "furrow" },
      { efficiency_fraction: "65", flow_l_h: "2" },
      { inflow_l_s: "1.5", count: "20", spacing_m: "1.5", length_m: "400", tailwater_fraction: "" },
      "metric",
    );
    expect(part).toEqual({
      key: "f",
      name: "f",
      kind: "furrow",
      efficiency_fraction: 0.65,
      furrows: { inflow_l_s: 1.5, count: 20, spacing_m: 1.5, length_m: 400 },
    });
  });
});
