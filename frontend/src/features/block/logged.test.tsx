import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../../api/client";
import { UndoProvider } from "../../app/records";
import { answerWith, show } from "../../testing/support.test.helper";
import { LoggedDays, LoggedSets } from "./Logged";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const START = Date.UTC(2026, 6, 10, 19) / 1000;
const SETS = Array.from({ length: 10 }, (_, n) => ({
  key: `hoya@${n}`,
  start_at: START + n * 86400,
  end_at: START + n * 86400 + 3600,
  gross_mm: 20 + n,
  note: n === 9 ? "by Bo" : "",
}));

describe("logged sets", () => {
  it("stand newest first, and a wrong one can be deleted and brought back", async () => {
    const { asked } = answerWith({
      "/api/records/sets/hoya%409": { kind: "sets", key: "hoya@9", deleted: true },
      "/api/records/sets/hoya%409/restore": { kind: "sets", key: "hoya@9", deleted: false },
    });
    show(
      <UndoProvider>
        <LoggedSets sets={SETS} offset={7200} />
      </UndoProvider>,
    );
    const rows = screen.getAllByRole("listitem");
    expect(rows).toHaveLength(8);
    expect(rows[0]?.textContent).toContain("21:00 · 29 mm gross · by Bo");
    expect(screen.getByText("and 2 earlier in this span")).toBeTruthy();
    fireEvent.click(screen.getAllByText("delete")[0] as HTMLElement);
    expect((await screen.findByRole("region", { name: "Just now" })).textContent).toMatch(
      /Set of .*, 29 mm deleted/,
    );
    fireEvent.click(screen.getByText("Undo"));
    expect(await screen.findByText("Brought back.")).toBeTruthy();
    expect(asked.map((r) => r.method)).toEqual(["DELETE", "POST"]);
  });
});

describe("weather on record", () => {
  it("shows the days that were measured, with rain where it fell", () => {
    answerWith({});
    const day = { day: "2026-07-12", when: "past", filled: false, eto_mm: 7.2, rain_mm: 0 };
    const days = [
      day,
      { ...day, day: "2026-07-13", rain_mm: 12 },
      { ...day, day: "2026-07-14", filled: true },
    ];
    show(<LoggedDays days={days as Schemas["LedgerDay"][]} />);
    const rows = screen.getAllByRole("listitem");
    expect(rows).toHaveLength(2);
    expect(rows[0]?.textContent).toContain("rain 12 mm");
    expect(rows[1]?.textContent).toContain("no rain");
    expect(screen.getAllByText("delete")).toHaveLength(3);
  });
});
