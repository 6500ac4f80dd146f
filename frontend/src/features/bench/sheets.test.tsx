import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, show } from "../../testing/support.test.helper";
import { Sheets } from "./Sheets";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const version = (id: number, sensor: string, part: object = {}) => ({
  id,
  sensor,
  depth_cm: 10,
  raw_unit: "count",
  valid_from: "2026-06-01",
  formula: "θ = 1.2 − 0.0016 × raw",
  rmse_theta: 0.012,
  note: "12 weighed samples",
  entered: "2026-07-01T06:00+02:00",
  withdrawn: null,
  state: "in force",
  ...part,
});
const ANSWERS = {
  "/api/sample-sheets": {
    sheets: [
      {
        key: "s",
        name: "Spring tins",
        block: "hoya",
        raw_unit: "count",
        on: "2026-06-01",
        samples: 12,
        who: "",
        note: "beside the probe",
      },
    ],
  },
  "/api/calibrations": {
    sensors: [],
    versions: [
      version(1, "hoya/a/10"),
      version(2, "hoya/a/30"),
      version(3, "hoya/b/10", {
        state: "withdrawn",
        valid_from: "2026-05-01",
        withdrawn: "2026-06-03T06:00+02:00",
      }),
    ],
  },
  "/withdraw": { sensors: [], versions: [] },
  "/restore": { sensors: [], versions: [] },
};

describe("calibrations on the bench", () => {
  it("lists sheets, and says once what many sensors share", async () => {
    answerWith(ANSWERS);
    show(<Sheets />);
    expect(await screen.findByRole("link", { name: "Spring tins" })).toBeTruthy();
    expect(screen.getByText(/Hoya, 12 tins, count/)).toBeTruthy();
    expect(await screen.findByText("hoya/a 10, 30")).toBeTruthy();
    expect(screen.getByText("hoya/b 10").className).toContain("line-through");
    expect(screen.getByText(/taken back 3 Jun 2026/)).toBeTruthy();
    expect(screen.getAllByText(/± 1.2 %/)).toHaveLength(2);
    expect(screen.getByRole("link", { name: "Hoya: plan and lab sheet" })).toBeTruthy();
  });

  it("takes back all of a group, and brings back", async () => {
    const { asked } = answerWith(ANSWERS);
    show(<Sheets />);
    fireEvent.click(await screen.findByRole("button", { name: "take back" }));
    const paths = () => asked.filter((r) => r.method === "POST").map((r) => new URL(r.url).pathname);
    await waitFor(() =>
      expect(paths()).toEqual(["/api/calibrations/1/withdraw", "/api/calibrations/2/withdraw"]),
    );
    fireEvent.click(screen.getByRole("button", { name: "bring back" }));
    await waitFor(() => expect(paths()).toContain("/api/calibrations/3/restore"));
  });
});
