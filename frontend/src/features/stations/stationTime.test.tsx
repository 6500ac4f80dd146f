import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { show } from "../../testing/support.test.helper";
import type { Sheet } from "./queries";
import { StationTime } from "./StationTime";

afterEach(cleanup);

const event = (at: string, what: string) => ({
  at,
  what,
  key: at,
  kind: "visits",
  note: "",
  who: "",
  photo: "",
});
const sheet = (since: string, ...log: object[]) => ({ sensors: [{ since }], log }) as unknown as Sheet;

/** The farm's clock stands on 14 July, 06:00. */
describe("a station's line of time", () => {
  it("tells what happened in order, near events as one with how many more", () => {
    show(
      <StationTime
        sheet={sheet(
          "2026-03-01T08:00+01:00",
          event("2026-06-01T08:00+02:00", "replacement"),
          event("2026-03-02T08:00+01:00", "visit"),
        )}
      />,
    );
    const drawn = screen.getByRole("img");
    expect(drawn.getAttribute("aria-label")).toBe(
      "What happened here: 1 Mar sensors in the ground; 2 Mar visit; 1 Jun replacement",
    );
    expect(drawn.textContent).toContain("sensors in the ground and 1 more");
    expect(drawn.textContent).toContain("replacement");
    expect(drawn.textContent).not.toContain("visit");
  });

  it("is not drawn on its first day, nor without anything to tell", () => {
    show(<StationTime sheet={sheet("2026-07-13T20:00+02:00")} />);
    show(<StationTime sheet={{ sensors: [], log: [] } as unknown as Sheet} />);
    expect(screen.queryByRole("img")).toBeNull();
    show(<StationTime sheet={sheet("2026-07-12T20:00+02:00")} />);
    expect(screen.getByRole("img")).toBeTruthy();
  });
});
