import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { ClosingPage } from "./ClosingPage";
import { FarmClosingPage } from "./FarmClosingPage";
import type { Closing, FarmClosing } from "./queries";

afterEach(() => {
  cleanup();
  localStorage.clear();
  vi.unstubAllGlobals();
});

const step = (code: string, state: Closing["steps"][number]["state"], words: string) => ({
  code,
  state,
  words,
});
const CLOSING: Closing = {
  key: "mesa",
  name: "Mesa",
  crop: "garlic",
  variety: "",
  as_of: FARM.now,
  next_words: "1 station to come out by Tue 21 Jul, before the harvester",
  steps: [
    step("water", "later", "16 mm net still to give before the last irrigation"),
    step("out", "now", "1 station to come out by Tue 21 Jul, before the harvester"),
    step("clean", "later", "What comes out is cleaned, tested in water and stored"),
    step("harvest", "later", "Harvest expected on Tue 28 Jul"),
    step("next", "later", "Nothing is entered to follow"),
  ],
  stations: [
    {
      ref: "mesa/a",
      name: "middle",
      stays: false,
      out_by: "2026-07-21",
      out_on: null,
      words: "out by Tue 21 Jul",
      run: null,
      run_state: "none",
    },
  ],
  lessons: [
    { what: "trigger", words: "Water is due at 45 % of what is available", value: 0.35 },
    { what: "efficiency", words: "Efficiency 0.74 by 6 sets", value: 0.74 },
    { what: "sensor", words: "The sensor at 50 cm was left out on 38 days", value: null },
  ],
  proposal: {
    crop: "onion dry",
    variety: "",
    first_day: "2027-03-01",
    begins: "planting",
    why: "onion dry came after garlic here before",
    lacks: [],
  },
  entered: null,
  kept: ["Full points, layers and calibrations stay as they are"],
};
const CHOICES = {
  textures: [],
  crops: [
    { crop: "onion dry", root_depth_cm: 30, allowable_depletion_fraction: 0.3, lacks: [] },
    {
      crop: "garlic",
      root_depth_cm: 30,
      allowable_depletion_fraction: 0.3,
      lacks: ["how long its stages are"],
    },
  ],
};

function open(closing: Closing = CLOSING) {
  const { asked } = answerWith({
    "/api/blocks/mesa/closing": closing,
    "/api/choices": CHOICES,
    "/api/blocks/mesa/next-season": { ...closing, proposal: null, entered: CLOSING.proposal },
    "/api/farm": { created: {}, changed: {}, unchanged: {} },
  });
  show(
    <Routes>
      <Route path="/block/:key/closing" element={<ClosingPage />} />
      <Route path="/run/:key" element={<p>the run</p>} />
    </Routes>,
    FARM,
    "/block/mesa/closing",
  );
  return asked;
}

describe("closing a season", () => {
  it("says what is to be done now, and how each step stands", async () => {
    open();
    expect(await screen.findByRole("heading", { level: 1 })).toHaveProperty(
      "textContent",
      "Mesa: 1 station to come out by Tue 21 Jul, before the harvester",
    );
    expect(screen.getByRole("heading", { name: /Stations out .* do it now/ })).toBeTruthy();
    expect(screen.getByRole("heading", { name: /The harvest · later/ })).toBeTruthy();
    expect(screen.getByText(/calibrations stay as they are/)).toBeTruthy();
  });

  it("starts taking a station out", async () => {
    const asked = open();
    fireEvent.click(await screen.findByRole("button", { name: "Take it out" }));
    await screen.findByText("the run");
    const sent = (await sentTo(asked, "/api/farm")) as { procedure_runs: Record<string, unknown>[] };
    expect(sent.procedure_runs[0]).toMatchObject({ procedure: "remove", station: "mesa/a", done: {} });
  });

  it("proposes what comes next, and takes only the lessons that are picked", async () => {
    const asked = open();
    await screen.findByText(/came after garlic here before/);
    const boxes = screen.getAllByRole("checkbox");
    expect(boxes).toHaveLength(2);
    fireEvent.click(screen.getByRole("checkbox", { name: /bring the trigger there/ }));
    fireEvent.change(screen.getByLabelText("Variety"), { target: { value: "late" } });
    fireEvent.click(screen.getByRole("button", { name: "Enter it" }));
    await waitFor(async () =>
      expect(await sentTo(asked, "/next-season")).toEqual({
        crop: "onion dry",
        variety: "late",
        first_day: "2027-03-01",
        lessons: ["trigger"],
      }),
    );
  });

  it("says what the library lacks of a crop before it is chosen", async () => {
    open();
    await screen.findByText(/in the library as “onion dry”; nothing is lacking/);
    fireEvent.change(screen.getByLabelText("Crop"), { target: { value: "garlic" } });
    expect(screen.getByText(/in the library as “garlic”; it lacks how long its stages are/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Crop"), { target: { value: "dragon fruit" } });
    expect(screen.getByText(/not in the library/)).toBeTruthy();
  });

  it("shows the planting that is entered in place of a proposal", async () => {
    open({ ...CLOSING, proposal: null, entered: CLOSING.proposal, next_words: "" });
    expect(await screen.findByText(/1 Mar 2027/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Enter it" })).toBeNull();
  });
});

describe("the seasons to close", () => {
  const FARM_CLOSING: FarmClosing = {
    as_of: FARM.now,
    blocks: [
      {
        key: "olivar",
        name: "Olivar",
        crop: "olive",
        steps: [
          step("out", "not needed", "Sensors stay"),
          step("harvest", "later", "Harvest expected on Thu 26 Nov"),
        ],
      },
      { key: "mesa", name: "Mesa", crop: "garlic", steps: CLOSING.steps },
      {
        key: "done",
        name: "Done",
        crop: "tomato",
        steps: [step("harvest", "done", "Harvested on Mon 6 Jul")],
      },
    ],
  };

  it("lists what is to be done now first", async () => {
    answerWith({ "/api/closing": FARM_CLOSING });
    show(<FarmClosingPage />);
    expect(await screen.findByText("1 block has something to close")).toBeTruthy();
    const rows = screen.getAllByRole("listitem");
    expect(within(rows[0] as HTMLElement).getByText("Mesa")).toBeTruthy();
    expect(rows[1]?.textContent).toContain("Thu 26 Nov");
    expect(rows[2]?.textContent).toContain("The season is closed");
  });
});
