import { describe, expect, it } from "vitest";
import { clock, day, offsetSeconds, refillWord, wall } from "./dates";
import { dayRange, fileSize, halfDays, percent, setTime } from "./numbers";
import { quantityOf, show, toServer } from "./units";
import { waterColour } from "./waterScale";

describe("units", () => {
  it("shows millimetres whole and inches to the hundredth", () => {
    expect(show(19.04, "depth", "metric")).toBe("19 mm");
    expect(show(19.05, "depth", "us")).toBe("0.75 in");
    expect(show(-58.4, "depth", "metric")).toBe("−58 mm");
    expect(show(-0.2, "depth", "metric")).toBe("0 mm");
    expect(show(18, "area", "us")).toBe("44.5 ac");
    expect(show(90, "soilDepth", "us", false)).toBe("35");
  });

  it("gives back what was typed in the server's unit", () => {
    for (const name of ["depth", "soilDepth", "area", "rate", "flow", "spacing"] as const) {
      const typed = 7;
      expect(Number(show(toServer(typed, name, "us"), name, "us", false))).toBeCloseTo(typed, 0);
      expect(toServer(typed, name, "metric")).toBe(typed);
    }
    expect(toServer(1, "depth", "us")).toBeCloseTo(25.4);
  });

  it("knows the quantity of a unit the server names", () => {
    expect(quantityOf("mm/h")).toBe("rate");
    expect(quantityOf("mm")).toBe("depth");
    expect(quantityOf("days")).toBeNull();
    expect(show(20, "temperature", "us")).toBe("68.0 °F");
    expect(toServer(68, "temperature", "us")).toBeCloseTo(20);
  });
});

describe("dates", () => {
  const now = "2026-07-14T06:00+02:00";

  it("reads the farm's own wall clock, whatever the browser's zone", () => {
    expect(day(wall(now))).toBe("Tue 14 Jul");
    expect(clock(wall(now))).toBe("06:00");
    expect(offsetSeconds(now)).toBe(7200);
    expect(offsetSeconds("2026-07-14T06:00-03:30")).toBe(-12600);
  });

  it("says the refill day in a word", () => {
    expect(refillWord(now, now, 0)).toBe("now");
    expect(refillWord(now, "2026-07-14T20:00+02:00", 0.6)).toBe("today");
    expect(refillWord(now, "2026-07-15T03:00+02:00", 0.9)).toBe("tonight");
    expect(refillWord(now, "2026-07-15T12:00+02:00", 1.3)).toBe("tomorrow");
    expect(refillWord(now, "2026-07-17T12:00+02:00", 3.3)).toBe("Fri 17");
    expect(refillWord(now, "2026-07-24T12:00+02:00", 10.3)).toBe("24 Jul");
  });
});

describe("numbers", () => {
  it("has the precision each deserves", () => {
    expect(setTime(425)).toBe("7 h 05 min");
    expect(setTime(50)).toBe("50 min");
    expect(halfDays(2.26)).toBe("2.5");
    expect(dayRange(1.9, 3.1)).toBe("2 to 3 days");
    expect(dayRange(0.9, 1.1)).toBe("1 day");
    expect(dayRange(4, null)).toBe("4 days or more");
    expect(percent(0.445)).toBe("45 %");
    expect(fileSize(358_000)).toBe("358 kB");
    expect(fileSize(20_100_000)).toBe("20.1 MB");
  });
});

describe("the water scale", () => {
  const lightness = (share: number) =>
    (waterColour(share).match(/\d+/g) ?? []).map(Number).reduce((sum, channel) => sum + channel, 0);

  it("runs from straw to teal and gets darker all the way", () => {
    expect(waterColour(0)).toBe("rgb(231 214 166)");
    expect(waterColour(1)).toBe("rgb(15 75 82)");
    expect(waterColour(-3)).toBe(waterColour(0));
    expect(waterColour(7)).toBe(waterColour(1));
    const steps = [0, 0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 1].map(lightness);
    expect(steps).toEqual([...steps].sort((a, b) => b - a));
  });
});
