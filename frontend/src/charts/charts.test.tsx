import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { LevelLine, levelPlace } from "./LevelLine";
import { linePath, nearest } from "./path";
import { Section } from "./Section";

afterEach(cleanup);
const marks = {
  full_mm: 180,
  refill_mm: 120,
  wilting_mm: 60,
  saturation_mm: 270,
  taw_mm: 120,
  allowable_mm: 60,
};

describe("the level line", () => {
  it("puts the full point of every block at the same place", () => {
    expect(levelPlace(60, marks)).toBe(0);
    expect(levelPlace(180, marks)).toBeCloseTo(0.78);
    expect(levelPlace(180, marks)).toBeCloseTo(levelPlace(90, { ...marks, full_mm: 90, wilting_mm: 10 }));
    expect(levelPlace(270, marks)).toBeCloseTo(1);
    expect(levelPlace(20, marks)).toBe(0);
    expect(levelPlace(900, marks)).toBe(1);
  });

  it("draws one slice a coming day, thinner the further away", () => {
    const { container } = render(
      <LevelLine marks={marks} storage={150} projected={[144, 138, 132]} label="Block" />,
    );
    const slices = [...container.querySelectorAll("rect")].slice(1);
    expect(slices).toHaveLength(3);
    const heights = slices.map((s) => Number(s.getAttribute("height")));
    expect(heights).toEqual([...heights].sort((a, b) => b - a));
    expect(screen.getByRole("img", { name: "Block" })).toBeTruthy();
  });
});

describe("lines over time", () => {
  const same = (v: number) => v;
  it("break where a reading is missing or hours have gone by", () => {
    const hour = 3600;
    expect(linePath([0, hour, 2 * hour], [1, 2, 3], same, same).match(/M/g)).toHaveLength(1);
    expect(linePath([0, hour, 2 * hour], [1, null, 3], same, same).match(/M/g)).toHaveLength(2);
    expect(linePath([0, hour, 48 * hour], [1, 2, 3], same, same).match(/M/g)).toHaveLength(2);
  });

  it("find the nearest reading to the pointer", () => {
    expect(nearest([], 5)).toBe(-1);
    expect([-10, 0, 4, 6, 99].map((t) => nearest([0, 10, 20], t))).toEqual([0, 0, 0, 1, 2]);
  });
});

function layer(depth: number, part: Partial<Schemas["LayerOut"]> = {}): Schemas["LayerOut"] {
  return {
    sensor: `a/${depth}`,
    depth_cm: depth,
    top_cm: depth - 10,
    bottom_cm: depth + 10,
    used_cm: 20,
    theta: 0.2,
    theta_full: 0.3,
    theta_refill: 0.2,
    theta_wilting: 0.1,
    share: 0.5,
    refill_share: 0.5,
    water_mm: 20,
    capacity_mm: 40,
    projected_mm: 12,
    ahead_mm: [20, 16, 12],
    filled_in: false,
    why_missing: "",
    calibration: null,
    ...part,
  };
}

describe("the section", () => {
  const draw = (layers: Schemas["LayerOut"][]) =>
    render(<Section layers={layers} rootDepthCm={30} units="metric" />).container;

  it("makes trays as wide as the water their layers can hold", () => {
    const trays = draw([layer(10), layer(30, { capacity_mm: 20 })]).querySelectorAll("rect.fill-panel");
    const [first, second] = [...trays].map((t) => Number(t.getAttribute("width")));
    expect((second ?? 0) / (first ?? 1)).toBeCloseTo(0.5);
  });

  it("says what is in each tray, what was not read, and where the roots end", () => {
    draw([layer(10), layer(30, { theta: null, share: null, water_mm: null, projected_mm: null })]);
    const picture = screen.getByRole("img");
    expect(picture.textContent).toContain("20 of 40 mm");
    expect(picture.textContent).toContain("no reading");
    expect(picture.textContent).toContain("root front 30 cm");
    expect(picture.getAttribute("aria-label")).toContain("30 cm: no reading");
  });

  it("draws a watched layer pale and never a fill beyond its room", () => {
    const container = draw([layer(10, { share: 9 }), layer(30, { used_cm: 0 })]);
    const groups = [...container.querySelectorAll("g[opacity]")].map((g) => g.getAttribute("opacity"));
    expect(groups).toEqual(["1", "0.42"]);
    const fill = container.querySelectorAll("g[opacity='1'] rect")[1];
    expect(Number(fill?.getAttribute("width"))).toBeLessThan(172 * 1.3);
  });
});
