import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, show } from "../testing/support.test.helper";
import { useAsOf, useKeepAsOf } from "./farm";
import { ribbonSpan, SeasonRibbon } from "./SeasonRibbon";
import { isTyping, ShortcutHelp, useShortcuts } from "./shortcuts";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("the season ribbon", () => {
  const months = (from: Date, to: Date) =>
    (to.getUTCFullYear() - from.getUTCFullYear()) * 12 + to.getUTCMonth() - from.getUTCMonth();

  it("spans whole months, eight at least", () => {
    const [from, to] = ribbonSpan("2026-03-05", "2026-07-14");
    expect(from.toISOString().slice(0, 10)).toBe("2026-03-01");
    expect(months(from, to)).toBe(8);
    const [older, later] = ribbonSpan("2025-08-20", "2026-07-14");
    expect(months(older, later)).toBe(12);
  });

  it("goes to a past morning when it is moved, and back to now at its end", async () => {
    answerWith({ "/api/season": { first: "2026-03-01", today: "2026-07-14", days: [] } });
    function Moment() {
      const [asOf] = useAsOf();
      const keep = useKeepAsOf();
      return <output>{`${asOf ?? "now"} ${keep("/import")}`}</output>;
    }
    show(
      <>
        <SeasonRibbon />
        <Moment />
      </>,
    );
    const slider = (await screen.findByLabelText("See the farm as of a past day")) as HTMLInputElement;
    expect(slider.max).toBe("135");
    fireEvent.change(slider, { target: { value: "92" } });
    expect(screen.getByRole("status").textContent).toBe("now /import");
    fireEvent.keyUp(slider);
    expect(screen.getByRole("status").textContent).toBe("2026-06-01T06:00 /import?as_of=2026-06-01T06%3A00");
    fireEvent.change(slider, { target: { value: "135" } });
    fireEvent.keyUp(slider);
    expect(screen.getByRole("status").textContent).toBe("now /import");
  });

  it("draws a bar for a day with sets and one for a day with rain", async () => {
    const days = [
      { day: "2026-04-01", blocks: 2, gross_mm: 15, rain_mm: 0 },
      { day: "2026-04-02", blocks: 0, gross_mm: 0, rain_mm: 4 },
    ];
    answerWith({ "/api/season": { first: "2026-03-01", today: "2026-07-14", days } });
    show(<SeasonRibbon />);
    const picture = await screen.findByRole("img", { name: "Sets and rain of the season" });
    expect(picture.querySelectorAll("rect.fill-deep")).toHaveLength(1);
    expect(picture.querySelectorAll("rect.fill-ink-2")).toHaveLength(1);
    expect(picture.textContent).toBe("MarAprMayJunJulAugSepOct");
  });
});

describe("keys", () => {
  function Page() {
    const help = useShortcuts();
    return (
      <>
        <input aria-label="entry" data-find />
        <ShortcutHelp {...help} />
      </>
    );
  }

  it("open and close the help, and go to the find entry", () => {
    show(<Page />);
    expect(screen.queryByText("Keys")).toBeNull();
    fireEvent.keyDown(document.body, { key: "?" });
    expect(screen.getByText("Keys")).toBeTruthy();
    fireEvent.keyDown(document.body, { key: "Escape" });
    expect(screen.queryByText("Keys")).toBeNull();
    fireEvent.keyDown(document.body, { key: "/" });
    expect(document.activeElement).toBe(screen.getByLabelText("entry"));
  });

  it("belong to an entry while one is typed in", () => {
    show(<Page />);
    const entry = screen.getByLabelText("entry");
    fireEvent.keyDown(entry, { key: "?" });
    expect(screen.queryByText("Keys")).toBeNull();
    const typed = new KeyboardEvent("keydown", { key: "j" });
    Object.defineProperty(typed, "target", { value: entry });
    expect(isTyping(typed)).toBe(true);
    expect(isTyping(new KeyboardEvent("keydown", { key: "j", ctrlKey: true }))).toBe(true);
  });
});
