import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { BlockAdvice, WorkingLine } from "../api/client";
import { adviceText, refillText, setText } from "./adviceText";
import { Field } from "./Field";
import { lineFigure, lineRange, WorkingLines } from "./WorkingLines";

afterEach(cleanup);
const NOW = "2026-07-14T06:00+02:00";

function line(part: Partial<WorkingLine> = {}): WorkingLine {
  return {
    key: "full_mm",
    label: "Full point",
    value: 122.4,
    unit: "mm",
    formula: "Σ θ full × thickness",
    source: { kind: "table", title: "Saxton & Rawls 2006, loam", detail: "12 mm of it" },
    op: "",
    result: false,
    change: "",
    low: null,
    high: null,
    minutes: null,
    ...part,
  };
}

function advice(part: Partial<BlockAdvice> = {}): BlockAdvice {
  return {
    group: "coming",
    reason: "12 mm left above refill, 11 mm going a day.",
    not_trusted: [],
    refill: {
      days: { low: 0.9, mid: 1.3, high: 2.2 },
      low_at: NOW,
      mid_at: "2026-07-15T13:00+02:00",
      high_at: NOW,
      irrigate_by_day: 1,
    },
    advised: {
      start_depletion_mm: 31,
      uncut_net_mm: 17,
      net_mm: 17.2,
      gross_mm: 19,
      set_time_h: 13.6,
      set_time_min: 815,
      volume_m3: 3420,
      limited_by: "",
      timer_fraction: null,
      pulses: null,
    },
    notices: [],
    start_by_at: null,
    ordered: "",
    can_finish: false,
    ...part,
  } as unknown as BlockAdvice;
}

describe("advice in words", () => {
  it("names day, depth and time", () => {
    expect(refillText(advice(), NOW)).toEqual({ word: "tomorrow", range: "1 to 2 days" });
    expect(setText(advice(), "metric")).toBe("17 mm net, 13 h 35 min");
    expect(adviceText(advice(), NOW, "metric")).toBe("Refill tomorrow: 17 mm net, 13 h 35 min");
  });

  it("advises no set where there is nothing to do or nothing known", () => {
    expect(setText(advice({ group: "leave" }), "metric")).toBe("no set this week");
    expect(setText(advice({ group: "none", advised: null }), "metric")).toBe("");
    expect(refillText(advice({ group: "leave", refill: null }), NOW).word).toBe("not soon");
    const none = advice({ group: "none", reason: "No advice because no readings yet." });
    expect(adviceText(none, NOW, "metric")).toBe("No advice because no readings yet.");
  });
});

describe("advice that a rule has changed", () => {
  const set = advice().advised as NonNullable<BlockAdvice["advised"]>;

  it("waits for water that is on its way, today or beyond", () => {
    const today = advice({ group: "coming", wait_until_at: "2026-07-14T16:05+02:00" });
    expect(refillText(today, NOW)).toEqual({ word: "wait", range: "until 16:05, then read again" });
    expect(adviceText(today, NOW, "metric")).toBe(
      "Wait until 16:05, then read again: 17 mm net, 13 h 35 min as it stands now",
    );
    const later = advice({ group: "coming", wait_until_at: "2026-07-16T04:00+02:00" });
    expect(refillText(later, NOW).range).toBe("until Thu 16 Jul, 04:00, then read again");
  });

  it("says how many sets cover the block, and how long they take in all", () => {
    const furrows = { ...set, sets: 17, set_time_min: 285, all_sets_min: 4845 };
    expect(setText(advice({ advised: furrows }), "metric")).toBe(
      "17 mm net, 17 sets of 4 h 45 min, 80 h 45 min in all",
    );
  });

  it("says pulses and a pivot's setting", () => {
    const pulses = { count: 4, on_min: 55, on_h: 0.92, pause_h: 0.5, total_h: 5.2 };
    expect(setText(advice({ advised: { ...set, pulses } }), "metric")).toBe(
      "17 mm net in 4 pulses of 55 min",
    );
    expect(setText(advice({ advised: { ...set, timer_fraction: 0.62 } }), "metric")).toBe(
      "17 mm net, one turn at 62 %, 13 h 35 min",
    );
  });

  it("lets a person's order and the end of the season stand before a date", () => {
    expect(refillText(advice({ ordered: "hold" }), NOW).word).toBe("postponed");
    expect(refillText(advice({ can_finish: true }), NOW)).toEqual({
      word: "stop",
      range: "stored water is enough",
    });
  });

  it("says when to start where that comes before the refill", () => {
    const early = advice({ group: "act", start_by_at: NOW });
    expect(refillText(early, NOW)).toEqual({ word: "start today", range: "refill in 1 to 2 days" });
  });
});

describe("the working", () => {
  it("writes figures with their precision", () => {
    expect(lineFigure(122.4, "mm", "metric")).toBe("122 mm");
    expect(lineFigure(13.58, "h", "metric", 815)).toBe("13 h 35 min");
    expect(lineFigure(1.13, "days", "metric")).toBe("1.1 days");
    expect(lineFigure(0.45, "", "metric")).toBe("0.45");
    expect(lineFigure(null, "mm", "metric")).toBe("–");
    expect(lineRange(line({ low: 15, high: 23 }), "metric")).toBe("15 to 23");
    expect(lineRange(line(), "metric")).toBe("");
  });

  it("opens the source behind a letter", () => {
    render(<WorkingLines lines={[line(), line({ key: "x", label: "Other" })]} />);
    expect(screen.queryByText(/Saxton/)).toBeNull();
    fireEvent.click(screen.getByLabelText(/^Where Full point comes from/));
    expect(screen.getByText(/Saxton & Rawls 2006, loam/)).toBeTruthy();
    fireEvent.click(screen.getByLabelText(/^Where Other comes from/));
    expect(screen.getAllByText(/Saxton/)).toHaveLength(1);
  });
});

describe("a field", () => {
  it("ties its error to its entry", () => {
    render(<Field label="Area" error="must be more than 0" />);
    const input = screen.getByLabelText("Area");
    expect(input.getAttribute("aria-invalid")).toBe("true");
    const about = document.getElementById(input.getAttribute("aria-describedby") ?? "");
    expect(about?.textContent).toBe("must be more than 0");
  });
});
