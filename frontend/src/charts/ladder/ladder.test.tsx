import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { BlockContent, Schemas } from "../../api/client";
import { block } from "../../testing/support.test.helper";
import { drawSeries } from "./decimate";
import { partsOf, storageRange, traceRange } from "./geometry";
import { Ladder } from "./Ladder";
import { held } from "./useView";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const HOUR = 3600;
const same = (v: number) => v;

function pen() {
  const moves: [string, number, number][] = [];
  return {
    moves,
    moveTo: (x: number, y: number) => moves.push(["M", x, y]),
    lineTo: (x: number, y: number) => moves.push(["L", x, y]),
  };
}

describe("a long series", () => {
  const times = Array.from({ length: 25_000 }, (_, i) => i * HOUR);
  const values = times.map((_, i) => (i === 12_345 ? 9 : Math.sin(i / 50)));
  const whole = { start: 0, end: 25_000 * HOUR };

  it("is drawn with four points a column at most, and loses no spike", () => {
    const drawn = pen();
    const count = drawSeries(drawn, times, values, whole, 500, same);
    expect(count).toBeLessThanOrEqual(4 * 501);
    expect(Math.max(...drawn.moves.map(([, , y]) => y))).toBe(9);
    expect(Math.min(...drawn.moves.map(([, , y]) => y))).toBeCloseTo(-1, 2);
  });

  it("is drawn point by point when it is near enough", () => {
    const near = { start: 100 * HOUR, end: 110 * HOUR };
    const drawn = pen();
    expect(drawSeries(drawn, times, values, near, 500, same)).toBe(12);
    expect(drawn.moves.filter(([kind]) => kind === "M")).toHaveLength(1);
  });

  it("breaks where readings are missing or far apart", () => {
    const drawn = pen();
    const gap = [0, HOUR, 2 * HOUR, 40 * HOUR, 41 * HOUR];
    drawSeries(drawn, gap, [1, null, 3, 4, 5], { start: 0, end: 41 * HOUR }, 500, same);
    expect(drawn.moves.map(([kind]) => kind).join("")).toBe("MMML");
  });
});

describe("the view", () => {
  const whole = { start: 100, end: 200 };
  it("never leaves what there is", () => {
    expect(held({ start: 50, end: 100 }, whole)).toEqual({ start: 100, end: 150 });
    expect(held({ start: 180, end: 230 }, whole)).toEqual({ start: 150, end: 200 });
    expect(held({ start: 0, end: 900 }, whole)).toEqual(whole);
  });
});

function trace(depth: number): Schemas["TraceOut"] {
  return {
    sensor: `hoya/a/${depth}`,
    depth_cm: depth,
    in_roots: depth < 60,
    theta_full: 0.3,
    theta_refill: 0.2,
    theta_wilting: 0.1,
    theta: [0.31, 0.25, null, 0.24],
    flagged: [],
    faults: [],
  };
}

const STATION = {
  key: "a",
  name: "probe",
  why_not: "",
  depletion_mm: 20,
  error_mm: 3,
  layers: [{ top_cm: 0, bottom_cm: 80 }] as Schemas["LayerOut"][],
  traces: [trace(20), trace(70)],
  storage_mm: [150, 140, null, 138],
};
const NOW = 1_784_000_000;
const CONTENT = {
  advice: block(),
  as_of: "2026-07-14T06:00+02:00",
  as_of_at: NOW,
  times: [NOW - 30 * HOUR, NOW - 20 * HOUR, NOW - 10 * HOUR, NOW],
  storage_mm: [150, 140, null, 138],
  stations: [STATION],
  sets: [],
  rain: [],
  fan: [
    { at: NOW, low_mm: 137, mid_mm: 138, high_mm: 139 },
    { at: NOW + 96 * HOUR, low_mm: 100, mid_mm: 110, high_mm: 120 },
  ],
  projected_at: null,
  ahead_at: [NOW],
} as unknown as BlockContent;

function wetting(part: Partial<Schemas["WettingOut"]>): Schemas["WettingOut"] {
  return {
    station: "a",
    start: "",
    end: "",
    start_at: NOW - 25 * HOUR,
    end_at: NOW - 15 * HOUR,
    arrivals: [],
    gain_mm: 17,
    reach_cm: 70,
    below_mm: 4,
    front_cm_h: 5,
    between: null,
    from_what: [],
    expected_mm: null,
    explained: false,
    suspect: "a valve left open",
    ...part,
  };
}

describe("the ladder", () => {
  const draw = () =>
    render(
      <Ladder
        content={CONTENT}
        station={STATION}
        wettings={[wetting({}), wetting({ station: "b" })]}
        offset={0}
        units="metric"
      />,
    );

  it("says in words what it draws, and how far each wetting went", () => {
    draw();
    const picture = screen.getByRole("img");
    expect(picture.getAttribute("aria-label")).toContain("137 mm now, full at 180 mm, refill at 130");
    expect(picture.getAttribute("aria-label")).toContain("with 1 wettings");
    expect(picture.textContent).toContain("+17 mm to 70 cm; nothing logged explains it");
    expect(picture.textContent).toContain("watch only");
  });

  it("comes nearer by button and by key, and back to all of it", async () => {
    vi.stubGlobal("requestAnimationFrame", (act: () => void) => {
      act();
      return 1;
    });
    draw();
    expect(screen.queryByText("all of it")).toBeNull();
    fireEvent.click(screen.getByText("nearer"));
    fireEvent.click(await screen.findByText("all of it"));
    expect(screen.queryByText("all of it")).toBeNull();
    fireEvent.keyDown(screen.getByRole("img"), { key: "+" });
    expect(await screen.findByText("all of it")).toBeTruthy();
  });

  it("makes room for marks, readings and the fan", () => {
    expect(storageRange(CONTENT)).toEqual([100, 187.5]);
    const [low, high] = traceRange(trace(20));
    expect(low).toBeCloseTo(0.196);
    expect(high).toBeCloseTo(0.314);
    expect(partsOf(8).height).toBeGreaterThan(partsOf(2).height);
    expect([8, 9, 12, 13, 14].map((n) => partsOf(n).trace)).toEqual([36, 32, 24, 22, 22]); // no lower than can be read
    expect(partsOf(12).height).toBe(partsOf(8).height);
  });
});
