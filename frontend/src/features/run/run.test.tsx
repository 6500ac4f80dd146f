import { act, cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import type { Run, RunStep } from "./queries";
import { RunPage } from "./RunPage";
import { countdown, StepTimer, spanWords } from "./StepTimer";

beforeEach(() => localStorage.clear());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

const STEP = {
  step: "services",
  scope: "start",
  entry: "tick",
  title: "Buried services asked for",
  why: "A cut cable costs more than the season.",
  caution: "Ask before you dig.",
  unit: "",
  low: null,
  high: null,
  timer_min: null,
  required: true,
  options: [],
  source: "common practice, no source",
};

function step(part: Partial<RunStep>, inner: Partial<RunStep["step"]> = {}): RunStep {
  return {
    id: "services",
    sensor: null,
    depth_cm: null,
    outcome: "open",
    words: "",
    value: null,
    at: null,
    who: "",
    note: "",
    photo: "",
    ...part,
    step: { ...STEP, ...inner },
  } as RunStep;
}

const DEPTH = step(
  { id: "30:depth", sensor: "30", depth_cm: 30 },
  { step: "depth", entry: "number", title: "Depth by ruler", unit: "cm", caution: "" },
);

function run(steps: RunStep[], part: Partial<Run> = {}): Run {
  return {
    key: "r1",
    title: "Spot sensor in a pit wall",
    about: "A pit beside the plant.",
    kind: "install",
    subject: "hoya/a",
    subject_name: "Hoya, probe",
    run: {
      key: "r1",
      procedure: "pit",
      station: "hoya/a",
      started: "2026-07-01T08:00",
      closed: null,
      done: {},
    },
    steps,
    next_id: steps.find((s) => s.outcome === "open" && s.step.required)?.id ?? null,
    gaps: [],
    failures: [],
    notices: [],
    verdict: "open",
    closed: null,
    ...part,
  } as Run;
}

function page(content: Run, units: "metric" | "us" = "metric") {
  const answers = answerWith({
    "/api/runs/r1": content,
    "/api/farm": { created: {}, changed: {}, unchanged: {} },
  });
  show(
    <Routes>
      <Route path="run/:key" element={<RunPage />} />
    </Routes>,
    { ...FARM, units },
    "/run/r1",
  );
  return answers;
}

const sent = async (asked: Request[]) => {
  const body = await asked.find((r) => r.method === "POST")?.json();
  return body?.procedure_runs[0].done;
};

describe("a guided procedure", () => {
  it("shows one step with its reason and caution, and keeps what is done", async () => {
    const { asked } = page(run([step({}), DEPTH]));
    expect(await screen.findByText("Ask before you dig.")).toBeTruthy();
    expect(screen.getByText("0 of 2 steps")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Who"), { target: { value: "Inés" } });
    fireEvent.click(screen.getByRole("button", { name: "Done" }));
    await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
    expect(await sent(asked)).toEqual({
      services: { at: FARM.now, who: "Inés", note: "", photo: "" },
    });
    expect(localStorage.getItem("who")).toBe("Inés");
  });

  it("wants a number where a number is wanted", async () => {
    const { asked } = page(run([DEPTH]));
    const entry = await screen.findByLabelText("Value, cm");
    fireEvent.change(entry, { target: { value: "deep" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    expect(screen.getByText("type a number")).toBeTruthy();
    expect(asked.filter((r) => r.method === "POST")).toHaveLength(0);
    fireEvent.change(entry, { target: { value: "29,5" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
    expect((await sent(asked))["30:depth"].value).toBe(29.5);
  });

  it("takes inches where the farm thinks in inches", async () => {
    const { asked } = page(run([DEPTH]), "us");
    expect(await screen.findAllByText("12 in")).toHaveLength(2);
    fireEvent.change(screen.getByLabelText("Value, in"), { target: { value: "12" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
    expect((await sent(asked))["30:depth"].value).toBeCloseTo(30.48);
  });

  it("opens any step again and can take it back", async () => {
    const done = step({ outcome: "done", at: "2026-07-01T08:05+02:00" });
    const { asked } = page(
      run([done, DEPTH], {
        run: { ...run([]).run, done: { services: { at: "2026-07-01T08:05" } } },
      } as Partial<Run>),
    );
    fireEvent.click(await screen.findByRole("button", { name: /Buried services/ }));
    fireEvent.click(screen.getByRole("button", { name: "take it back" }));
    await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
    expect(await sent(asked)).toEqual({});
  });

  it("says what keeps it from closing", async () => {
    const open = run([step({ outcome: "done" })], {
      gaps: ["the depth of the 30 cm sensor is not measured"],
    });
    page(open);
    expect(await screen.findByText("It cannot be closed yet")).toBeTruthy();
    expect(screen.getByText("the depth of the 30 cm sensor is not measured")).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Close it" })).toBeNull();
  });

  it("closes, or closes as not ready", async () => {
    const { asked } = page(
      run([step({ outcome: "failed" })], { failures: ["Read it dry: 120 kPa"], verdict: "not ready" }),
    );
    fireEvent.change(await screen.findByLabelText("Finished, if not just now"), {
      target: { value: "2026-07-02T10:00" },
    });
    expect(screen.queryByRole("button", { name: "Close it" })).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Close as not ready" }));
    await waitFor(() => expect(asked.some((r) => r.url.endsWith("/close"))).toBe(true));
    const body = await asked.find((r) => r.url.endsWith("/close"))?.json();
    expect(body).toEqual({ even_failed: true, at: "2026-07-02T10:00" });
  });

  it("does not let a closed run be changed", async () => {
    page(run([step({ outcome: "done" })], { closed: "2026-07-01T10:00+02:00", verdict: "ready" }));
    expect(await screen.findByText(/Closed\. All values within/)).toBeTruthy();
    expect((screen.getByRole("button", { name: /Buried services/ }) as HTMLButtonElement).disabled).toBe(
      true,
    );
    expect(screen.queryByLabelText("Who")).toBeNull();
  });

  it("refuses a position off the globe and stores a typed one", async () => {
    const { asked } = page(
      run([step({ id: "place" }, { step: "place", entry: "place", title: "Where it is" })]),
    );
    fireEvent.change(await screen.findByLabelText("or longitude"), { target: { value: "-15.2" } });
    fireEvent.change(screen.getByLabelText("latitude"), { target: { value: "91" } });
    fireEvent.click(screen.getByRole("button", { name: "Save position" }));
    expect(screen.getByText("That is not on the globe.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("latitude"), { target: { value: "38,4" } });
    fireEvent.click(screen.getByRole("button", { name: "Save position" }));
    await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
    expect((await sent(asked)).place).toMatchObject({ longitude: -15.2, latitude: 38.4 });
  });
});

describe("a timer", () => {
  it("goes on while the page is closed", () => {
    vi.useFakeTimers();
    vi.setSystemTime(new Date("2026-07-01T08:00:00Z"));
    const first = show(<StepTimer id="x" minutes={2} />);
    expect(screen.getByRole("timer").textContent).toBe("2 min");
    fireEvent.click(screen.getByRole("button", { name: "Start timer" }));
    first.unmount();
    vi.setSystemTime(new Date("2026-07-01T08:01:30Z"));
    show(<StepTimer id="x" minutes={2} />);
    expect(screen.getByRole("timer").textContent).toBe("0:30");
    act(() => {
      vi.advanceTimersByTime(31_000);
    });
    expect(screen.getByText("Time is up.")).toBeTruthy();
  });

  it("writes spans for people", () => {
    expect([spanWords(2), spanWords(1800)]).toEqual(["2 min", "30 h"]);
    expect([countdown(90_000), countdown(11.5 * 3_600_000)]).toEqual(["1:30", "11:30:00"]);
  });

  it("lets one of the ways in use be chosen, with a thumb", async () => {
    const slurry = step(
      { id: "30:slurry", sensor: "30", depth_cm: 30 },
      {
        step: "slurry",
        entry: "choice",
        title: "Slurry: how much",
        options: ["a small portion", "up to half the hole"],
      },
    );
    const { asked } = page(run([slurry]));
    fireEvent.click(await screen.findByRole("button", { name: "Save" }));
    expect(screen.getByText("choose one")).toBeTruthy();
    fireEvent.click(screen.getByLabelText("up to half the hole"));
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(asked.some((r) => r.method === "POST")).toBe(true));
    expect((await sent(asked))["30:slurry"]).toMatchObject({ value: "up to half the hole" });
  });

  it("says up to which mark the soil is packed", async () => {
    const packed = step(
      { id: "60:packed", sensor: "60", depth_cm: 60, words: "pack up to the mark at 30 cm" },
      { step: "packed", entry: "tick", title: "Soil put back" },
    );
    page(run([packed]));
    expect(await screen.findByText("pack up to the mark at 30 cm.")).toBeTruthy();
  });
});
