import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { FieldSays, IndexMode } from "./FieldSays";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const sensor = (part: object = {}) => ({
  sensor: "hoya/a/10",
  station: "row",
  depth_cm: 10,
  raw_unit: "count",
  latest_raw: 584,
  index: 0.55,
  word: "moist",
  trend: "drier by 0.02 a day",
  days: [
    { day: "2026-07-12", index: 0.6 },
    { day: "2026-07-13", index: 0.55 },
  ],
  points_from: "l2-1: batch test lote-2",
  samples: [
    { level: "first of three", raw: 530, when: "when it reads about 530" },
    { level: "second of three", raw: 568, when: "now" },
  ],
  ...part,
});

describe("what the field says on the Block page", () => {
  it("shows an offer with its way to the evidence, and nothing of what is held back", async () => {
    answerWith({
      "/marks": {
        offers: [
          { words: "the field suggests moving full up by 0.24 in (5 drain-downs)", picks: [{}] },
          { words: "most wettings go below the roots", picks: [] },
        ],
      },
    });
    show(<FieldSays blockKey="hoya" asOf={undefined} narrows="look again" />, { ...FARM, units: "us" });
    expect(await screen.findByText(/moving full up by 0.24 in/)).toBeTruthy();
    expect(screen.getByRole("link", { name: "see the evidence" }).getAttribute("href")).toBe(
      "/block/hoya/marks",
    );
    expect(screen.queryByText(/below the roots/)).toBeNull();
    expect(screen.queryByText(/look again/)).toBeNull(); // the field has spoken: pick it
  });

  it("says what would narrow the date where the field offers nothing, or cannot be asked", async () => {
    for (const answers of [{ "/marks": { offers: [] } }, {}]) {
      answerWith(answers);
      show(<FieldSays blockKey="hoya" asOf={undefined} narrows="look again" />);
      expect((await screen.findByText("To narrow the date:")).parentElement?.textContent).toContain(
        "look again.",
      );
      cleanup();
    }
  });

  it("gives words and a trend for what is not calibrated, never mm, and the samples wanted", async () => {
    answerWith({
      "/index": {
        block: "hoya",
        words: "not how much water: neither amount nor date follows from it",
        sensors: [
          sensor(),
          sensor({
            sensor: "hoya/a/30",
            depth_cm: 30,
            index: null,
            word: "",
            trend: "",
            days: [],
            samples: [],
          }),
        ],
      },
    });
    show(<IndexMode blockKey="hoya" asOf={undefined} />);
    expect(await screen.findByText("moist")).toBeTruthy();
    expect(screen.getByText(/first of three: when it reads about 530; second of three: now/)).toBeTruthy();
    expect(screen.getByText("not enough readings yet to say")).toBeTruthy();
    expect(screen.getByRole("img", { name: "index since 12 Jul" })).toBeTruthy();
    expect(document.querySelector("table")?.textContent).not.toMatch(/\d mm/);
  });

  it("is not there where every sensor gives water", async () => {
    const { asked } = answerWith({ "/index": { block: "hoya", words: "", sensors: [] } });
    show(<IndexMode blockKey="hoya" asOf="2026-07-01T06:00" />);
    await vi.waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]?.url).toContain("as_of=2026-07-01T06");
    expect(document.querySelector("table")).toBeNull();
  });
});
