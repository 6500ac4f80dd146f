import { describe, expect, it } from "vitest";
import { type Draft, documentOf, keyOf, refusalsByField } from "./draft";

const DRAFT: Draft = {
  farmName: "Las Eras",
  timeZone: "Europe/Madrid",
  units: "metric",
  name: "Túnel Ñ 2",
  crop: "almond",
  area: "4,5",
  rootDepth: "",
  allowable: "40",
  horizons: [
    { id: 1, bottom: "40", texture: "loam", stones: "10" },
    { id: 2, bottom: "120", texture: "clay", stones: "" },
  ],
  organic: "1.5",
  kind: "drip",
  moving: {},
  efficiency: "90",
  flow: "2",
  spacing: "0.5",
  lineSpacing: "3",
  wetted: "55",
  minSet: "",
  maxSet: "30",
  station: "east",
  depths: "10, 20 30",
  rawUnit: "%",
};

describe("a block typed on screen", () => {
  it("becomes a farm document in the server's units", () => {
    const made = documentOf(DRAFT, true);
    const block = made.blocks?.[0];
    expect(made.farm).toEqual({ name: "Las Eras", time_zone: "Europe/Madrid", units: "metric" });
    expect(block?.key).toBe("tunel-n-2");
    expect(block?.area_ha).toBe(4.5);
    expect(block?.root_depth_cm).toBeNull();
    expect(block?.wetted_fraction).toBeCloseTo(0.55);
    expect(made.soils?.[0]?.horizons.map((h) => [h.top_cm, h.bottom_cm, h.stones_fraction])).toEqual([
      [0, 40, 0.1],
      [40, 120, 0],
    ]);
    expect(block?.stations?.[0]?.sensors.map((s) => s.depth_cm)).toEqual([10, 20, 30]);
    expect(made.systems?.[0]?.efficiency_fraction).toBeCloseTo(0.9);
  });

  it("turns inches and acres into the server's units", () => {
    const made = documentOf({ ...DRAFT, units: "us", area: "10", depths: "4 8", flow: "0.5" }, false);
    expect(made.farm).toBeNull();
    expect(made.blocks?.[0]?.area_ha).toBeCloseTo(4.0469, 3);
    expect(made.blocks?.[0]?.stations?.[0]?.sensors[1]?.depth_cm).toBeCloseTo(20.32);
    expect(made.systems?.[0]?.flow_l_h).toBeCloseTo(1.893, 3);
  });

  it("keeps depths with a decimal comma whole", () => {
    const sensors = documentOf({ ...DRAFT, depths: "7,5 22.5" }, false).blocks?.[0]?.stations?.[0]?.sensors;
    expect(sensors?.map((s) => s.depth_cm)).toEqual([7.5, 22.5]);
  });
});

describe("refusals", () => {
  it("go under the field they belong to", () => {
    const found = refusalsByField([
      { path: "systems[0].efficiency_fraction", reason: "too large" },
      { path: "blocks[0].stations[0].sensors[1].depth_cm", reason: "must be deeper" },
      { path: "soils[0].horizons[1].bottom_cm", reason: "above the top" },
      { path: "blocks[0].wetted_fraction", reason: "give its share" },
      { path: "somewhere", reason: "odd" },
    ]);
    expect(found).toEqual({
      efficiency: "too large",
      depths: "must be deeper",
      horizons: "above the top",
      wetted: "give its share",
      "": "somewhere: odd",
    });
  });

  it("keys are plain", () => {
    expect(keyOf("  Círculo / norte  ")).toBe("circulo-norte");
    expect(keyOf("***")).toBe("");
  });
});
