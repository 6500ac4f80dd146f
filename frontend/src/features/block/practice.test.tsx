import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, block, FARM, sentTo, show } from "../../testing/support.test.helper";
import { LandscapeHelper } from "../setup/PracticeHelpers";
import { LeftAmounts } from "./LeftAmounts";
import { RulesDialog } from "./RulesDialog";
import { SeenDialog } from "./SeenDialog";

afterEach(() => {
  cleanup();
  localStorage.clear();
  vi.unstubAllGlobals();
});

const STAGES = {
  block: "hoya",
  name: "Hoya",
  crop: "almond",
  stage: "mid",
  names: [
    { name: "bloom", stage: "initial", begins: true, source: "common practice, no source" },
    { name: "hull split", stage: "mid", begins: false, source: "common practice, no source" },
  ],
  seen: [{ name: "bloom", on: "2026-02-20" }],
  window_state: "unknown",
  window: "",
};
const DIALOG = { blockKey: "hoya", blockName: "Hoya", asOf: FARM.now, close: () => undefined };

describe("what was seen in the field", () => {
  it("is a stage by the trade's name, on its day", async () => {
    const { asked } = answerWith({ "/api/blocks/hoya/stages": STAGES, "/api/farm": {} });
    show(<SeenDialog {...DIALOG} />);
    expect(await screen.findByText(/Last seen: bloom, 20 Feb\./)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Stage"), { target: { value: "hull split" } });
    fireEvent.change(screen.getByLabelText("On"), { target: { value: "2026-07-10" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = (await sentTo(asked, "/api/farm")) as { stages_seen: object[] };
    expect(body.stages_seen[0]).toMatchObject({
      block: "hoya",
      crop: "almond",
      stage: "hull split",
      valid_from: "2026-07-10",
    });
  });

  it("is the rain this block had, by its gauge and by digging, in the reader's units", async () => {
    const { asked } = answerWith({ "/api/blocks/hoya/stages": STAGES, "/api/farm": {} });
    show(<SeenDialog {...DIALOG} />, { ...FARM, units: "us" });
    fireEvent.change(await screen.findByLabelText("What"), { target: { value: "rain" } });
    fireEvent.change(screen.getByLabelText("In its gauge, in"), { target: { value: "0.5" } });
    fireEvent.change(screen.getByLabelText("Soil found wet down to, in"), { target: { value: "2" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeTruthy());
    const body = (await sentTo(asked, "/api/farm")) as {
      rain_notes: { gauge_mm: number; wet_to_cm: number }[];
    };
    const note = body.rain_notes[0];
    expect(note?.gauge_mm).toBeCloseTo(12.7);
    expect(note?.wet_to_cm).toBeCloseTo(5.08);
  });
});

describe("water left", () => {
  it("is told as two amounts over today's roots", () => {
    show(<LeftAmounts advice={block({ readily_left_mm: 21, further_mm: 48, root_depth_cm: 30 })} />);
    expect(screen.getByText("21 mm")).toBeTruthy();
    expect(screen.getByText("48 mm")).toBeTruthy();
    expect(screen.getByText(/In today's 30 cm of roots/)).toBeTruthy();
  });

  it("says nothing where no state is known", () => {
    const { container } = show(<LeftAmounts advice={block({ readily_left_mm: null, further_mm: null })} />);
    expect(container.textContent).toBe("");
  });
});

describe("rules by a reading or for a surface", () => {
  it("names the sensor, the value and the way it goes", async () => {
    answerWith({
      "/api/sensors": {
        sensors: [{ ref: "hoya/a/45", label: "", depth_cm: 45, raw_unit: "count", channel: "" }],
      },
    });
    const store = vi.fn().mockResolvedValue(undefined);
    show(<RulesDialog before={undefined} blockKey="hoya" store={store} close={() => undefined} />);
    fireEvent.change(screen.getByLabelText("Water is due by"), { target: { value: "reading" } });
    expect(await screen.findByText("a/45 (count)")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Shows, in its own unit"), { target: { value: "640" } });
    fireEvent.change(screen.getByLabelText("As the soil dries it"), { target: { value: "higher" } });
    fireEvent.click(screen.getByRole("button", { name: "Use from this day" }));
    await waitFor(() => expect(store).toHaveBeenCalled());
    expect(store.mock.calls[0]?.[0]).toMatchObject({
      trigger: "reading",
      reading_sensor: "hoya/a/45",
      reading_value: 640,
      reading_drier: "higher",
      surface_days: null,
      trigger_share: 1,
    });
  });

  it("asks how often a surface is wetted", async () => {
    const store = vi.fn().mockResolvedValue(undefined);
    show(<RulesDialog before={undefined} blockKey="hoya" store={store} close={() => undefined} />);
    fireEvent.change(screen.getByLabelText("Water is due by"), { target: { value: "surface" } });
    fireEvent.change(screen.getByLabelText("Days between light sets"), { target: { value: "1,5" } });
    fireEvent.click(screen.getByRole("button", { name: "Use from this day" }));
    await waitFor(() => expect(store).toHaveBeenCalled());
    expect(store.mock.calls[0]?.[0]).toMatchObject({
      trigger: "surface",
      surface_days: 1.5,
      reading_sensor: null,
    });
  });
});

describe("a landscape coefficient", () => {
  it("goes into the crop's values", async () => {
    answerWith({ "/api/landscape": { mid: 0.752, low: 0.5, high: 1.1, source: "a guide" } });
    const use = vi.fn();
    show(<LandscapeHelper use={use} />);
    fireEvent.click(screen.getByText(/Beds, shrubs and ornamentals/));
    fireEvent.click(screen.getByRole("button", { name: "Work it out" }));
    fireEvent.click(await screen.findByRole("button", { name: "Put it in" }));
    expect(use).toHaveBeenCalledWith(0.75);
  });
});
