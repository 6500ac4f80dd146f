import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { FirstSteps } from "../round/FirstSteps";
import { DataPage } from "./DataPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const TOKEN = { id: 3, name: "wall", made_at: 1784000000, revoked: false, last_seen_at: null, token: "" };

describe("the data page", () => {
  it("takes the whole farm, a block, or some days of it", async () => {
    answerWith({ "/api/tokens": { tokens: [] } });
    show(<DataPage />, FARM, "/data");
    const link = () => screen.getByRole("link", { name: "Take it as a zip" }).getAttribute("href");
    expect(link()).toBe("/api/farm.zip");
    fireEvent.change(screen.getByLabelText("Of"), { target: { value: "hoya" } });
    fireEvent.change(screen.getByLabelText("From"), { target: { value: "2026-06-01" } });
    expect(link()).toBe("/api/farm.zip?block=hoya&first=2026-06-01");
    expect(screen.getByRole("link", { name: "wettings" }).getAttribute("href")).toBe(
      "/api/tables/wettings.csv?block=hoya",
    );
    expect(screen.getByRole("link", { name: /raw readings/ }).getAttribute("href")).toBe(
      "/api/blocks/hoya/readings.csv",
    );
  });

  it("makes a token, shows it once, and takes one back", async () => {
    const { asked } = answerWith({
      "/api/tokens/3/revoke": { ok: true },
      "/api/tokens": { tokens: [TOKEN], ...TOKEN, id: 4, name: "desk", token: "s3cret" },
    });
    show(<DataPage />, FARM, "/data");
    fireEvent.click(await screen.findByRole("button", { name: "New token" }));
    fireEvent.change(screen.getByLabelText("What it is for"), { target: { value: "desk" } });
    fireEvent.click(screen.getByRole("button", { name: "Make it" }));
    expect((await screen.findByText("s3cret")).tagName).toBe("CODE");
    expect(await sentTo(asked, "/api/tokens")).toEqual({ name: "desk" });
    fireEvent.click(screen.getByRole("button", { name: "Take it back" }));
    await waitFor(() => expect(asked.some((r) => r.url.endsWith("/3/revoke"))).toBe(true));
  });
});

describe("the first steps", () => {
  it("let a farm come as a package, and say why it may not", async () => {
    const { asked } = answerWith({});
    show(<FirstSteps step={0} />, { ...FARM, set_up: false }, "/");
    const file = new File(["x"], "farm.zip");
    fireEvent.change(screen.getByLabelText("Package of a farm"), { target: { files: [file] } });
    await waitFor(() => expect(asked.some((r) => r.url.endsWith("/api/farm.zip"))).toBe(true));
    expect(await screen.findByText(/Nothing was saved/)).toBeTruthy();
  });
});
