import { cleanup, fireEvent, screen, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import { byDay, EDGE, Frame } from "../charts/Frame";
import { FARM, show } from "../testing/support.test.helper";
import { BlockPlaces } from "../ui/BlockPlaces";
import { useAsOf } from "./farm";
import { PointedProvider } from "./pointed";

afterEach(cleanup);

const WIDE = 400;
const NOON = Date.parse("2026-07-03T12:00Z") / 1000;
const HOUR = 3600;

/** A drawing of ten days beside one of three days; a drawing is as wide on the page as in its own units. */
function Places() {
  const [asOf] = useAsOf();
  const start = NOON - 5 * 24 * HOUR;
  const perPx = (10 * 24 * HOUR) / (WIDE - EDGE.left - EDGE.right);
  const time = {
    x: (s: number) => EDGE.left + (s - start) / perPx,
    at: (p: number) => start + (p - EDGE.left) * perPx,
  };
  const frame = { width: WIDE, height: 100, y: (v: number) => v, xTicks: [], yTicks: [], children: null };
  const index = Object.assign((i: number) => 100 * i + 50, { invert: (p: number) => (p - 50) / 100 });
  return (
    <PointedProvider>
      <BlockPlaces to={(path) => path} blockKey="hoya" />
      <Frame {...frame} label="hours" x={time.x} time={time} />
      <Frame
        {...frame}
        label="days"
        x={index}
        time={byDay(["2026-07-02", "2026-07-03", "2026-07-04"], index)}
      />
      <p>as of {asOf ?? "now"}</p>
    </PointedProvider>
  );
}

function at(label: string, place: number) {
  const drawing = screen.getByRole("img", { name: label });
  drawing.getBoundingClientRect = () => ({ left: 0, width: WIDE }) as DOMRect;
  fireEvent.click(drawing, { clientX: place });
}

const crosshairs = () => screen.queryAllByTestId("crosshair").map((one) => one.textContent?.trim());

describe("the moment pointed at", () => {
  const open = () =>
    show(
      <Routes>
        <Route path="/block/hoya" element={<Places />} />
      </Routes>,
      FARM,
      "/block/hoya",
    );

  it("stands in every drawing that reaches it, until it is let go", () => {
    open();
    expect(crosshairs()).toEqual([]);
    at("days", 149);
    expect(crosshairs()).toEqual(["3 Jul 12:00", "3 Jul"]);
    expect(screen.getByRole("status").textContent).toContain("Fri 3 Jul, 12:00");
    for (const _ of [1, 2]) fireEvent.click(screen.getByRole("button", { name: "a day later" }));
    expect(crosshairs()).toEqual(["5 Jul 12:00"]); // the other ends on the fourth
    fireEvent.click(screen.getByRole("button", { name: "let go" }));
    expect(crosshairs()).toEqual([]);
    expect(screen.queryByRole("status")).toBeNull();
  });

  it("is a moment of the farm's clock, and the farm can be seen as known then", () => {
    open();
    at("hours", EDGE.left + (WIDE - EDGE.left - EDGE.right) / 2);
    expect(crosshairs()).toEqual(["3 Jul 12:00", "3 Jul"]);
    fireEvent.click(within(screen.getByRole("status")).getByRole("button", { name: "see it as known then" }));
    expect(screen.getByText("as of 2026-07-03T12:00")).toBeTruthy();
    expect(screen.queryByRole("button", { name: "see it as known then" })).toBeNull();
    expect(crosshairs()).toHaveLength(2);
  });

  it("is reached by keys", () => {
    open();
    fireEvent.keyDown(window, { key: "m" });
    expect(screen.getByRole("status").textContent).toContain("Tue 14 Jul, 06:00");
    fireEvent.click(screen.getByRole("button", { name: "a day earlier" }));
    expect(screen.getByRole("status").textContent).toContain("Mon 13 Jul, 06:00");
  });

  it("offers no look at what lies ahead of now", () => {
    open();
    at("hours", EDGE.left + 10);
    for (let n = 0; n < 16; n++) fireEvent.click(screen.getByRole("button", { name: "a day later" }));
    expect(screen.getByRole("status").textContent).toContain("14 Jul");
    expect(screen.queryByRole("button", { name: "see it as known then" })).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "a day earlier" }));
    expect(screen.getByRole("button", { name: "see it as known then" })).toBeTruthy();
  });
});
