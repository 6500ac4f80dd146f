import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { WaterPage } from "./WaterPage";
import { draftOfRules, refusedBy, rulesOf } from "./waterParts";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const SUPPLY: Schemas["WaterSupplyOut"] = {
  key: "well",
  name: "Well",
  flow_m3_h: 270,
  hours_per_day: 20,
  rules: null,
  kwh_m3: 0.36,
  price_low: 0.032,
  price_high: 0.086,
  left_m3: 213692,
  blocks: ["hoya"],
  armed: false,
  controller: "",
  controller_name: "",
  controller_url: "",
  valves: [],
  trouble: "",
};
const WATER: Schemas["WaterContent"] = {
  as_of: "2026-07-14T06:00+02:00",
  supplies: [SUPPLY],
  blocks: [{ key: "hoya", name: "Hoya", area_ha: 4.5, supply: "well", shifts: null }],
  people: [],
  groups: [
    {
      key: "g",
      name: "Almonds",
      blocks: ["hoya"],
      start: "20:30",
      minutes: 300,
      gross_mm: null,
      delay_min: 1,
      note: "",
    },
  ],
  cautions: [],
};

describe("water side", () => {
  it("says what each supply gives, costs and has left", async () => {
    answerWith({ "/api/water": WATER });
    show(<WaterPage />, FARM);
    const line = await screen.findByText(/up to 270 m³\/h/);
    expect(line.textContent).toContain(
      "20 h a day · 0.36 kWh a m³ · 0.032 to 0.086 a m³ · 213692 m³ left this season",
    );
    expect(screen.getByText("Valves are opened by hand.")).toBeTruthy();
  });

  it("stores new rules from today, with prices and turns row by row", async () => {
    const { asked } = answerWith({ "/api/water": WATER, "/api/farm": {} });
    show(<WaterPage />, FARM);
    fireEvent.click((await screen.findAllByText("Edit"))[0] as HTMLElement);
    const form = within(await screen.findByRole("dialog"));
    fireEvent.change(form.getByLabelText("Lift, m"), { target: { value: "62" } });
    fireEvent.change(form.getByLabelText("Efficiency, 0 to 1"), { target: { value: "0,66" } });
    fireEvent.click(form.getByText("Add a price"));
    fireEvent.change(form.getByLabelText("From"), { target: { value: "22:00" } });
    fireEvent.change(form.getByLabelText("To"), { target: { value: "08:00" } });
    fireEvent.change(form.getByLabelText("Price"), { target: { value: "0.09" } });
    fireEvent.change(form.getByLabelText("Days (mon,tue …)"), { target: { value: "Mon, tue" } });
    fireEvent.click(form.getByText("Save"));
    await waitFor(async () => expect(await sentTo(asked, "/api/farm")).toBeDefined());
    const { water_rules } = (await sentTo(asked, "/api/farm")) as { water_rules: Record<string, unknown>[] };
    expect(water_rules[0]).toMatchObject({
      supply: "well",
      valid_from: "2026-07-14",
      flow_m3_h: 270,
      energy: { lift_m: 62, efficiency_fraction: 0.66 },
      tariffs: [{ per: "kwh", start: "22:00", end: "08:00", price: 0.09, days: ["mon", "tue"] }],
      turns: [],
    });
  });

  it("starts a block without parts as one, and sends what is changed", async () => {
    const { asked } = answerWith({ "/api/water": WATER, "/api/farm": {} });
    show(<WaterPage />, FARM);
    fireEvent.click((await screen.findAllByText("Edit"))[1] as HTMLElement);
    const form = within(await screen.findByRole("dialog"));
    expect(form.getByLabelText("Area, ha")).toHaveProperty("value", "4.5");
    fireEvent.click(form.getByLabelText(/Somebody must be there/));
    fireEvent.click(form.getByText("Save"));
    await waitFor(async () =>
      expect(await sentTo(asked, "/api/farm")).toMatchObject({
        block_shifts: [{ block: "hoya", by_hand: true, shifts: [{ name: "all", area_ha: 4.5 }] }],
      }),
    );
  });

  it("checks a group for today and says what it breaks", async () => {
    const laid = {
      group: "g",
      name: "Almonds",
      kept: false,
      sets: [{ name: "Hoya", breaks: ["Well is short of 5 m³/h then"] }],
    };
    const { asked } = answerWith({ "/api/water": WATER, "/api/plan/groups": laid });
    show(<WaterPage />, FARM);
    fireEvent.click(await screen.findByText("Check for today"));
    expect(
      await screen.findByText("Almonds does not fit today: Hoya: Well is short of 5 m³/h then."),
    ).toBeTruthy();
    expect(await sentTo(asked, "/plan/groups")).toEqual({ group: "g", day: "2026-07-14", approve: false });
  });

  it("enters a controller and says when it cannot be used", async () => {
    answerWith({ "/api/water": WATER, "/api/controllers": { trouble: "it is not reached" } });
    show(<WaterPage />, FARM);
    fireEvent.click(await screen.findByText("Add a controller"));
    const form = within(await screen.findByRole("dialog"));
    fireEvent.change(form.getByLabelText("Address"), { target: { value: "http://10.0.0.9" } });
    fireEvent.click(form.getByText("Save"));
    expect((await form.findByRole("alert")).textContent).toContain("it is not reached");
  });
});

describe("parts", () => {
  it("go out as they came in, in the reader's units", () => {
    const rules = {
      kind: "well",
      flow_m3_h: 270,
      delay_min: 1,
      season: { volume_m3: 5, first: "2026-03-01", last: "2026-10-31" },
    };
    const draft = draftOfRules({ ...SUPPLY, rules: rules as never }, "us");
    expect(Number(draft.flow_m3_h)).toBeCloseTo(1188.8, 0);
    const back = rulesOf(draft, "us");
    expect(back.flow_m3_h as number).toBeCloseTo(270, 1);
    expect((back.season as { volume_m3: number }).volume_m3).toBeCloseTo(5, 4);
    expect(rulesOf({ flow_m3_h: "much" }, "metric").flow_m3_h).toBe("much");
  });

  it("take refusals by their path within the part", () => {
    expect(refusedBy([{ path: "water_rules[0].tariffs[1].start", reason: "r" }])).toEqual({
      "tariffs[1].start": "r",
    });
  });
});
