import { act, cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { answerWith, sentTo, show } from "../testing/support.test.helper";
import { UndoProvider, useApply } from "./records";

const LINES = { first: 8, last: 9 };
const DONE = { created: { rain: 1 }, changed: {}, unchanged: {}, lines: LINES };

function Entry() {
  const apply = useApply();
  const enter = (lists: object) => apply.mutate(lists as never);
  return (
    <>
      <button type="button" onClick={() => enter({ rain: [] })}>
        rain
      </button>
      <button type="button" onClick={() => enter({ procedure_runs: [] })}>
        step
      </button>
    </>
  );
}

const open = () =>
  show(
    <UndoProvider>
      <Entry />
    </UndoProvider>,
  );

describe("what was just entered", () => {
  beforeEach(() => {
    vi.useFakeTimers({ shouldAdvanceTime: true });
  });
  afterEach(() => {
    cleanup();
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it("can be taken back as a whole", async () => {
    const { asked } = answerWith({ "/api/farm/take-back": { count: 2 }, "/api/farm": DONE });
    open();
    fireEvent.click(screen.getByText("rain"));
    fireEvent.click(await screen.findByRole("button", { name: "Undo" }));
    expect(await screen.findByText("Taken back.")).toBeTruthy();
    expect(await sentTo(asked, "/api/farm/take-back")).toEqual(LINES);
    expect(screen.queryByRole("button", { name: "Undo" })).toBeNull();
  });

  it("says why it cannot be", async () => {
    answerWith({ "/api/farm": DONE }); // and nothing to take back with
    open();
    fireEvent.click(screen.getByText("rain"));
    fireEvent.click(await screen.findByRole("button", { name: "Undo" }));
    expect(await screen.findByText("nothing here")).toBeTruthy();
  });

  it("is offered for twenty seconds, and for as long as a hand is on it", async () => {
    answerWith({ "/api/farm": DONE });
    open();
    fireEvent.click(screen.getByText("rain"));
    const line = await screen.findByRole("region", { name: "Just now" });
    act(() => void vi.advanceTimersByTime(19_000));
    fireEvent.pointerEnter(line);
    act(() => void vi.advanceTimersByTime(60_000));
    expect(screen.getByRole("button", { name: "Undo" })).toBeTruthy();
    fireEvent.pointerLeave(line);
    act(() => void vi.advanceTimersByTime(20_100));
    await waitFor(() => expect(screen.queryByRole("region", { name: "Just now" })).toBeNull());
  });

  it("has its own twenty seconds each time something is saved", async () => {
    answerWith({ "/api/farm": DONE });
    open();
    fireEvent.click(screen.getByText("rain"));
    await screen.findByRole("region", { name: "Just now" });
    act(() => void vi.advanceTimersByTime(15_000));
    fireEvent.click(screen.getByText("rain"));
    await act(async () => void (await vi.advanceTimersByTimeAsync(500)));
    act(() => void vi.advanceTimersByTime(10_000));
    expect(screen.getByRole("button", { name: "Undo" })).toBeTruthy();
  });

  it("is not offered where nothing can be taken back, nor for steps that are ticked", async () => {
    const { asked } = answerWith({ "/api/farm": { ...DONE, lines: null } });
    open();
    fireEvent.click(screen.getByText("rain"));
    await waitFor(() => expect(asked).toHaveLength(1));
    answerWith({ "/api/farm": DONE });
    fireEvent.click(screen.getByText("step"));
    await act(async () => void (await vi.advanceTimersByTimeAsync(500)));
    expect(screen.queryByRole("region", { name: "Just now" })).toBeNull();
  });
});
