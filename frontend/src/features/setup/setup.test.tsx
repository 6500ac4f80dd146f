import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { SetupPage } from "./SetupPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const CHOICES = {
  textures: ["loam", "clay"],
  crops: [
    {
      crop: "almond no cover",
      root_depth_cm: 100,
      allowable_depletion_fraction: 0.4,
      lacks: ["what a shortage costs in yield"],
    },
  ],
};
const DONE = { created: { blocks: 1 }, changed: {}, unchanged: {} };
const type = (label: string | RegExp, value: string) =>
  fireEvent.change(screen.getByLabelText(label), { target: { value } });

describe("the set-up page", () => {
  it("asks for the farm only when there is none", () => {
    answerWith({ "/choices": CHOICES });
    show(<SetupPage />);
    expect(screen.queryByLabelText("Name of the farm")).toBeNull();
    cleanup();
    show(<SetupPage />, { ...FARM, set_up: false, name: "", blocks: [] });
    expect(screen.getByLabelText("Name of the farm")).toBeTruthy();
  });

  it("shows what the crop table would give", async () => {
    answerWith({ "/choices": CHOICES });
    show(<SetupPage />);
    type("Crop", "almond");
    expect(await screen.findByText("FAO-56 Table 22: 100 cm")).toBeTruthy();
    type("Crop", "moss");
    expect(screen.getAllByText("not in the crop table: enter it")).toHaveLength(2);
  });

  it("adds and takes away horizons", () => {
    answerWith({ "/choices": CHOICES });
    show(<SetupPage />);
    fireEvent.click(screen.getByRole("button", { name: "add a layer below" }));
    expect(screen.getByLabelText("Horizon 2 ends at, cm")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "delete the last" }));
    expect(screen.queryByLabelText("Horizon 2 ends at, cm")).toBeNull();
  });

  it("does not write over a block of the same name", () => {
    const { asked } = answerWith({ "/choices": CHOICES });
    show(<SetupPage />);
    type("Name", "hoya");
    fireEvent.click(screen.getByRole("button", { name: "Save block" }));
    expect(screen.getByText("there is a block of this name already")).toBeTruthy();
    expect(asked.filter((r) => r.method === "POST")).toHaveLength(0);
  });

  it("sends the whole block and says what comes next", async () => {
    const { asked } = answerWith({ "/choices": CHOICES, "/api/farm": DONE });
    show(<SetupPage />);
    type("Name", "Loma");
    type("Crop", "almond");
    type("Area, ha", "3");
    type("Sensor depths, cm, from the top", "20 40");
    fireEvent.click(screen.getByRole("button", { name: "Save block" }));
    expect(await screen.findByText("Loma is set up.")).toBeTruthy();
    const sent = await asked.find((r) => r.method === "POST")?.json();
    expect(sent.blocks[0].key).toBe("loma");
    expect(sent.blocks[0].stations[0].sensors.map((s: { depth_cm: number }) => s.depth_cm)).toEqual([20, 40]);
    expect(screen.getByRole("link", { name: "Import a logger file" })).toBeTruthy();
  });

  it("keeps what was typed when the server refuses", async () => {
    answerWith({ "/choices": CHOICES });
    show(<SetupPage />);
    type("Name", "Loma");
    fireEvent.click(screen.getByRole("button", { name: "Save block" }));
    expect((await screen.findByRole("alert")).textContent).toContain(
      "Nothing was saved: request: nothing here",
    );
    expect((screen.getByLabelText("Name") as HTMLInputElement).value).toBe("Loma");
  });
});
