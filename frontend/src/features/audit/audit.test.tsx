import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { AuditedSet, BlockAudit, FarmAudit } from "../../app/audits";
import { changeWords } from "../../app/audits";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { AuditPage } from "./AuditPage";
import { FarmAuditPage } from "./FarmAuditPage";

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function set(part: Partial<AuditedSet> = {}): AuditedSet {
  return {
    start: "2026-07-11T21:00+02:00",
    end: "2026-07-12T05:00+02:00",
    start_at: 1783796400,
    planned_h: 8,
    ran_h: 8,
    gross_mm: 20,
    metered: true,
    expected_mm: 18,
    gained_mm: 15,
    passed_mm: 1,
    error_mm: 1,
    below_mm: 4,
    missing_mm: 2,
    spread_mm: null,
    lacked_mm: 17,
    reach_cm: 80,
    wanted_cm: 60,
    arrivals: [
      { depth_cm: 20, after_h: 1 },
      { depth_cm: 80, after_h: 9.5 },
    ],
    application_efficiency: 0.75,
    storage_efficiency: 0.88,
    lower: {
      said: "strong",
      advice: "shorten",
      change: 5,
      least: 1,
      unit: "kPa",
      pairs: 1,
      words: "Lower sensors answered strongly: shorten.",
    },
    stations: 1,
    dry_stations: [],
    correction: 1,
    verdict: "too much",
    why: "4 mm went below the roots.",
    ...part,
  };
}

function audit(part: Partial<BlockAudit> = {}): BlockAudit {
  return {
    key: "hoya",
    name: "Hoya",
    as_of: FARM.now,
    days: 45,
    rule_score: "",
    headline: "Set of Sat 11 Jul: too much. 4 mm went below the roots.",
    sets: [set()],
    dose: {
      factor: 0.9,
      useful: 0.9,
      wanted: 0.88,
      by_water: -0.14,
      water_sets: 4,
      by_lower: -0.1,
      lower_sets: 3,
      mode: "offered",
      most_share: 0.15,
      in_force: 1,
      in_force_since: "",
      advised_net_mm: 20,
      corrected_net_mm: 18,
      why: ["By the water of the last 4 sets: −14 %."],
    },
    received: {
      share: 0.8,
      low: 0.75,
      high: 0.85,
      sets: 4,
      differs: true,
      efficiency: { value: 0.72, low: 0.68, high: 0.77, set_up: 0.9 },
      wetted: { value: 0.62, low: 0.59, high: 0.67, set_up: 0.5 },
    },
    received_words: "The last 4 sets brought 80 % of what set-up expects (75 % to 85 %).",
    causes: [{ code: "rate", words: "Rate or time: read the meter before and after a set." }],
    styles: { shorter: null, longer: null, words: "All sets were about as long: nothing to compare." },
    follow_ups: [],
    lower_delay_h: 1,
    lower_delay_entered: false,
    picked: [],
    ...part,
  };
}

const page = (
  <Routes>
    <Route path="/block/:key/audit" element={<AuditPage />} />
  </Routes>
);
const at = "/block/hoya/audit";

describe("audit of a block", () => {
  it("shows what came of what was expected, what was lost, and the verdict with its cause", async () => {
    answerWith({ "/audit": audit() });
    show(page, FARM, at);
    const row = (await screen.findByRole("button", { name: /Sat 11 Jul 21:00/ })).closest(
      "li",
    ) as HTMLElement;
    expect(within(row).getByText("15 of 18 mm")).toBeTruthy();
    expect(within(row).getByText("Too much").className).toContain("clay");
    expect(within(row).getByText("4 mm went below the roots.")).toBeTruthy();
    expect(row.querySelector("[data-lost]")).toBeTruthy();
    expect(row.textContent).not.toContain("of 8 h");
  });

  it("says the hours planned only where it was cut short", async () => {
    answerWith({ "/audit": audit({ sets: [set({ ran_h: 6, below_mm: 0, verdict: "too little" })] }) });
    show(page, FARM, at);
    const row = (await screen.findByRole("button", { name: /Sat 11 Jul/ })).closest("li") as HTMLElement;
    expect(row.textContent).toContain("6 h of 8 h");
    expect(row.querySelector("[data-lost]")).toBeNull();
  });

  it("opens the rest of a set", async () => {
    answerWith({ "/audit": audit() });
    show(page, FARM, at);
    fireEvent.click(await screen.findByRole("button", { name: /Sat 11 Jul/ }));
    expect(screen.getByText("20 cm after 1 h, 80 cm after 9 h 30 min")).toBeTruthy();
    expect(screen.getByText("75 %")).toBeTruthy();
    expect(screen.getByText("20 mm, metered")).toBeTruthy();
  });

  it("takes the corrected dose, and says what the server refuses", async () => {
    const { asked } = answerWith({ "/audit": audit(), "/picks": audit() });
    show(page, FARM, at);
    const next = await screen.findByRole("region", { name: "Next set" });
    expect(within(next).getByRole("heading").textContent).toBe("Next set − 10 %");
    fireEvent.click(within(next).getByRole("button", { name: "Use 18 mm" }));
    await waitFor(async () => expect(await sentTo(asked, "/picks")).toEqual({ what: "dose", drop: false }));
    cleanup();
    answerWith({ "/audit": audit() });
    show(page, FARM, at);
    fireEvent.click(await screen.findByRole("button", { name: "Use 18 mm" }));
    expect((await screen.findByRole("alert")).textContent).toContain("nothing here");
  });

  it("stops a correction that is in force, and offers nothing where it is applied automatically", async () => {
    const dose = { ...audit().dose, in_force: 0.9, in_force_since: "2026-07-10" };
    const { asked } = answerWith({ "/audit": audit({ dose }), "/picks": audit() });
    show(page, FARM, at);
    expect(await screen.findByText(/In force: × 0.90 since 10 Jul 2026/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Use 18 mm" })).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Stop correcting" }));
    await waitFor(async () => expect(await sentTo(asked, "/picks")).toEqual({ what: "dose", drop: true }));
    cleanup();
    answerWith({ "/audit": audit({ dose: { ...dose, mode: "applied" } }) });
    show(page, FARM, at);
    expect(await screen.findByText(/applied automatically\./)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Stop correcting" })).toBeNull();
  });

  it("offers an efficiency or a wetted area, one of the two", async () => {
    const { asked } = answerWith({ "/audit": audit(), "/picks": audit() });
    show(page, FARM, at);
    expect(await screen.findByText("Efficiency 0.72 (0.68 to 0.77), set-up says 0.90.")).toBeTruthy();
    expect(screen.getByText("Or wetted area 62 % (59 % to 67 %), set-up says 50 %.")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Use 62 %" }));
    await waitFor(async () => expect(await sentTo(asked, "/picks")).toEqual({ what: "wetted", drop: false }));
  });

  it("goes back to the figure of set-up where one was picked", async () => {
    const { asked } = answerWith({ "/audit": audit({ picked: ["wetted"] }), "/picks": audit() });
    show(page, FARM, at);
    fireEvent.click(await screen.findByRole("button", { name: "Go back to the wetted area of set-up" }));
    await waitFor(async () => expect(await sentTo(asked, "/picks")).toEqual({ what: "wetted", drop: true }));
  });

  it("keeps the rules of the audit", async () => {
    const { asked } = answerWith({ "/audit": audit(), "/rules": audit() });
    show(page, FARM, at);
    fireEvent.click(await screen.findByRole("button", { name: "Edit" }));
    fireEvent.change(screen.getByLabelText(/Lower sensors are read/), { target: { value: "1,5" } });
    fireEvent.change(screen.getByLabelText(/Corrections of the dose/), { target: { value: "applied" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(async () =>
      expect(await sentTo(asked, "/rules")).toEqual({
        mode: "applied",
        most_share: 0.15,
        lower_delay_h: 1.5,
        note: "",
      }),
    );
  });

  it("compares shorter with longer sets by the same water", async () => {
    const style = {
      sets: 3,
      net_mm: 10,
      below_mm: 0,
      reach_cm: 40,
      surface_mm: 30,
      work_h: 0,
      starts: 10,
      short_h: 2,
    };
    const longer = { ...style, net_mm: 20, below_mm: 12, starts: 5 };
    answerWith({
      "/audit": audit({
        styles: { shorter: style, longer, words: "3 sets of about 10 mm against 3 of about 20 mm." },
      }),
    });
    show(page, FARM, at);
    const row = (await screen.findByText("Below the roots")).closest("tr") as HTMLElement;
    expect([...row.querySelectorAll("td")].map((c) => c.textContent)).toEqual([
      "Below the roots",
      "0 mm",
      "12 mm",
    ]);
  });
});

describe("audit of the farm", () => {
  const FARM_AUDIT: FarmAudit = {
    as_of: FARM.now,
    days: 21,
    line: { code: "audit.line", values: {}, text: "Sets of the last 7 days: 1 too much (Hoya)." },
    sets: [{ ...set(), block: "hoya", name: "Hoya" }],
    groups: [
      {
        group: "well",
        night: "2026-07-11",
        blocks: [{ block: "hoya", name: "Hoya", share: 0.7, error: 0.05, off: -0.3, less: true }],
        words: ["Hoya got 30 % less than the middle of its group."],
      },
    ],
    offers: [{ block: "hoya", name: "Hoya", factor: 1.1, in_force: 1, mode: "offered" }],
    follow_ups: [
      {
        key: "k",
        block: "hoya",
        name: "Hoya",
        fault: "did not run",
        start: "2026-07-13T21:00+02:00",
        where: "valve 3",
        words: "Set of Mon 13 Jul did not run.",
        times: 1,
      },
    ],
  };

  it("lists sets with their block, who got less, what to see and what doses would change", async () => {
    answerWith({ "/api/audit": FARM_AUDIT });
    show(<FarmAuditPage />, FARM);
    expect(await screen.findByText("Sets of the last 7 days: 1 too much (Hoya).")).toBeTruthy();
    expect(screen.getByText(/Hoya got 30 % less/)).toBeTruthy();
    expect(screen.getByText("70 % of expected")).toBeTruthy();
    expect(within(screen.getByRole("region", { name: "Next sets" })).getByText("+ 10 %")).toBeTruthy();
    expect(screen.getByText(/Set of Mon 13 Jul did not run/)).toBeTruthy();
  });

  it("shows the last sixty sets of many, and all when asked", async () => {
    const sets = Array.from({ length: 70 }, (_, n) => ({
      ...set({ start_at: n }),
      block: "hoya",
      name: "Hoya",
    }));
    answerWith({ "/api/audit": { ...FARM_AUDIT, sets } });
    show(<FarmAuditPage />, FARM);
    expect(await screen.findAllByRole("button", { name: /Sat 11 Jul/ })).toHaveLength(60);
    fireEvent.click(screen.getByRole("button", { name: "Show all 70" }));
    expect(screen.getAllByRole("button", { name: /Sat 11 Jul/ })).toHaveLength(70);
  });
});

describe("a change of the dose", () => {
  it.each([
    [1.05, "+ 5 %"],
    [0.88, "− 12 %"],
    [1.004, "0 %"],
  ])("%f is said as %s", (factor, words) => {
    expect(changeWords(factor)).toBe(words);
  });
});
