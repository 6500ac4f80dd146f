import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { GroundDialog } from "./GroundDialog";
import { SetupIndex } from "./SetupIndex";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const LOOKED = {
  columns: [
    { name: "Sample", samples: ["Low"] },
    { name: "From", samples: ["0"] },
  ],
  fields: [
    { name: "soil", words: "soil", needed: true },
    { name: "top_cm", words: "top, cm", needed: true },
  ],
  mapping: { soil: "Sample" },
  remembered: true,
  keys: ["low"],
  created: 1,
  changed: 0,
  stored: false,
};

describe("ground from somebody else's file", () => {
  it("is looked at, mapped, and brought in", async () => {
    const { asked } = answerWith({ "/api/ground": LOOKED });
    const close = vi.fn();
    show(<GroundDialog kind="soils" close={close} />, FARM, "/setup");
    const file = new File(["Sample,From\nLow,0\n"], "lab.csv");
    fireEvent.change(screen.getByLabelText(/Table of analyses/), { target: { files: [file] } });
    fireEvent.change(await screen.findByLabelText("top, cm, needed"), { target: { value: "From" } });
    expect(screen.getByText(/Mapped as the last file/)).toBeTruthy();
    await waitFor(async () => {
      const bodies = await Promise.all(asked.map((r) => r.clone().json()));
      expect(bodies.at(-1)).toMatchObject({ mapping: { soil: "Sample", top_cm: "From" }, store: false });
    });
    const bring = screen.getByRole("button", { name: "Bring them in" });
    await waitFor(() => expect((bring as HTMLButtonElement).disabled).toBe(false));
    fireEvent.click(bring);
    await waitFor(() => expect(close).toHaveBeenCalledWith("1 soils new, 0 changed."));
  });

  it("says line by line what is wrong, and keeps the door shut", async () => {
    answerWith({});
    show(<GroundDialog kind="blocks" close={() => {}} />, FARM, "/setup");
    const file = new File(["{}"], "b.geojson");
    fireEvent.change(screen.getByLabelText(/GeoJSON of polygons/), { target: { files: [file] } });
    expect((await screen.findByRole("alert")).textContent).toContain("request: nothing here");
    const bring = screen.getByRole("button", { name: "Bring them in" });
    expect((bring as HTMLButtonElement).disabled).toBe(true);
  });

  it("begins on the set-up page", async () => {
    answerWith({});
    show(<SetupIndex />, FARM, "/setup");
    fireEvent.click(screen.getByRole("button", { name: "Soils from a table" }));
    expect(await screen.findByRole("dialog", { name: "Soils from a table" })).toBeTruthy();
  });
});
