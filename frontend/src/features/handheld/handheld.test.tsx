import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { type HandSensor, typed, whyAskAgain } from "./asking";
import { HandheldPage } from "./HandheldPage";
import { pressed } from "./NumberPad";
import { waiting } from "./queue";

const sensor = (part: Partial<HandSensor> = {}): HandSensor => ({
  key: "30",
  depth_cm: 30,
  type: "tensiometer",
  unit: "kPa",
  last: 42,
  last_at: "2026-07-04T09:00+02:00",
  low: 0,
  high: 85,
  step: 60,
  ...part,
});

const ROUTE = {
  asked_for: true,
  stations: [
    {
      ref: "hoya/t",
      name: "Hoya, by the gate",
      read_every_days: 7,
      days_since: 9.9,
      days_overdue: 2.9,
      water: "Water was on until 2 h ago",
      sensors: [sensor(), sensor({ key: "60", depth_cm: 60, last: null, last_at: null })],
    },
  ],
};
const STORED = { new: 1, known: 0, asked: [], conflicts: [] };

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const type = async (text: string) => {
  await screen.findByLabelText("Value at 30 cm in kPa");
  for (const key of text) fireEvent.click(screen.getByRole("button", { name: key }));
};
const store = () => fireEvent.click(screen.getByRole("button", { name: "Save readings" }));
const bodyOf = async (request: Request | undefined) => (request ? await request.json() : undefined);
const sent = (asked: Request[]) => asked.filter((r) => r.method === "POST");

describe("the round by hand", () => {
  it("shows depths in soil order with the last value and the range, and sends what the pad typed", async () => {
    const { asked } = answerWith({ "/api/handheld": { ...ROUTE, ...STORED } });
    show(<HandheldPage />, FARM);
    expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe(
      "One station to read by hand, one overdue.",
    );
    const rows = screen.getAllByRole("listitem").map((row) => row.textContent);
    expect(rows[0]).toContain("last 42, 4 Jul");
    expect(rows[0]).toContain("0 to 85");
    expect(rows[1]).toContain("60 cm");
    await type("38.5");
    store();
    await waitFor(() => expect(waiting()).toEqual([]));
    const body = await bodyOf(sent(asked)[0]);
    expect(body.station).toBe("hoya/t");
    expect(body.at).toBe(FARM.now);
    expect(body.readings).toEqual([{ sensor: "30", value: 38.5, confirmed: false }]);
  });

  it("asks again before it keeps what looks wrong", async () => {
    const { asked } = answerWith({ "/api/handheld": { ...ROUTE, ...STORED } });
    show(<HandheldPage />, FARM);
    await type("96");
    store();
    expect(screen.getByRole("alert").textContent).toContain("96 kPa is outside 0 to 85.");
    expect(sent(asked)).toEqual([]);
    fireEvent.click(screen.getByRole("button", { name: "Yes, save it" }));
    store();
    await waitFor(() => expect(sent(asked)).toHaveLength(1));
    expect((await bodyOf(sent(asked)[0])).readings[0].confirmed).toBe(true);
  });

  it("keeps an entry without a signal and sends it once when there is one", async () => {
    answerWith({ "/api/handheld": { ...ROUTE, ...STORED } });
    show(<HandheldPage />, FARM);
    await type("40");
    vi.stubGlobal("fetch", async () => {
      throw new TypeError("no network");
    });
    store();
    expect(await screen.findByText(/One station waits on this phone/)).toBeTruthy();
    const kept = waiting()[0]?.entry.key;
    const { asked } = answerWith({ "/api/handheld": { ...ROUTE, ...STORED } });
    window.dispatchEvent(new Event("online"));
    window.dispatchEvent(new Event("online"));
    await waitFor(() => expect(waiting()).toEqual([]));
    expect(sent(asked)).toHaveLength(1);
    expect((await bodyOf(sent(asked)[0])).key).toBe(kept);
  });

  it("says what the server did not store", async () => {
    const conflict = { sensor: "30", value: 40, reason: "42 is stored for this minute already" };
    answerWith({ "/api/handheld": { ...ROUTE, ...STORED, new: 0, conflicts: [conflict] } });
    show(<HandheldPage />, FARM);
    await type("40");
    store();
    expect(await screen.findByText(/40 at 30 was not stored: 42 is stored/)).toBeTruthy();
  });
});

describe("asking again", () => {
  it("goes by range, then by the change since last time", () => {
    expect(whyAskAgain(42, sensor())).toBe("");
    expect(whyAskAgain(-2, sensor())).toBe("outside 0 to 85");
    expect(whyAskAgain(80, sensor({ last: 10 }))).toBe("70.0 more than last time");
    expect(whyAskAgain(1e6, sensor({ low: null, high: null, step: null }))).toBe("");
  });

  it("reads what was typed, commas included", () => {
    expect(typed("38,5")).toBe(38.5);
    expect(typed(" ")).toBeUndefined();
    expect(typed("-")).toBeUndefined();
    expect(pressed("3.", ".")).toBe("3.");
    expect(pressed("38", "⌫")).toBe("3");
  });
});
