import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { api } from "../api/client";
import { FARM } from "../testing/support.test.helper";
import { Shell } from "./Shell";
import { type Session, useMay } from "./session";

const MANAGER: Session = {
  first_run: false,
  person: {
    id: 1,
    sign_in: "m",
    name: "Demo manager",
    role: "manager",
    units: null,
    language: "en",
    state: "active",
    seen: null,
    by_itself: true,
  },
  may: ["look", "sets", "clock"],
  csrf_token: "t",
};
const NOBODY: Session = { first_run: false, person: null, may: [], csrf_token: "t" };

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function Rights() {
  const may = useMay();
  return <output>{["sets", "people"].filter(may).join(" ")}</output>;
}

/** The shell with a server that answers for a session that may change meanwhile. */
function open(session: () => Session, farm: () => Response = () => Response.json(FARM), at = "/") {
  vi.stubGlobal("fetch", async (input: Request | string) => {
    const path = new URL(typeof input === "string" ? input : input.url, "http://localhost").pathname;
    if (path === "/api/session") return Response.json(session());
    if (path === "/api/farm") return farm();
    return Response.json({ first: null, today: "2026-07-14", days: [] });
  });
  const router = createMemoryRouter(
    [{ path: "/", Component: Shell, children: [{ path: "*", Component: Rights }] }],
    { initialEntries: [at] },
  );
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={client}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  );
}

describe("the shell", () => {
  it("shows the farm to whoever is signed in, who it is, and what they may", async () => {
    open(() => MANAGER, undefined, "/stations");
    expect((await screen.findByRole("link", { name: "Demo manager" })).title).toMatch(
      /manager.*automatically/,
    );
    expect(screen.getByText("sets")).toBeTruthy();
    expect(screen.getByRole("button", { name: "1 day" })).toBeTruthy();
  });

  it("says on every page what the server cannot do", async () => {
    const why = "the disk is full";
    const trouble = { what: "the copy of the data", since: "2026-07-14T02:00+02:00", why };
    open(
      () => MANAGER,
      () => Response.json({ ...FARM, troubles: [trouble] }),
      "/stations",
    );
    expect((await screen.findByRole("alert")).textContent).toBe(
      "Not working since Tue 14 Jul, 02:00: the copy of the data. Reason: the disk is full. It is tried again by itself.",
    );
  });

  it("offers the clock only to those who may move it", async () => {
    open(() => ({ ...MANAGER, may: ["look"] }), undefined, "/stations");
    await screen.findByRole("link", { name: "Demo manager" });
    expect(screen.queryByRole("button", { name: "1 day" })).toBeNull();
  });

  it("shows the door to nobody, and never asks for the farm", async () => {
    const farm = vi.fn(() => Response.json(FARM));
    open(() => NOBODY, farm);
    expect(await screen.findByRole("heading", { name: "Sign in" })).toBeTruthy();
    expect(farm).not.toHaveBeenCalled();
  });

  it("shows the invitation even to somebody who is signed in", async () => {
    open(() => MANAGER, undefined, "/invitation#abc");
    expect(await screen.findByRole("heading", { name: "Set your password" })).toBeTruthy();
  });

  it("goes back to the door when the server no longer knows who this is", async () => {
    let session = MANAGER;
    open(() => session, undefined, "/stations");
    await screen.findByRole("link", { name: "Demo manager" });
    session = NOBODY;
    vi.stubGlobal("fetch", async (input: Request | string) => {
      const path = new URL(typeof input === "string" ? input : input.url, "http://localhost").pathname;
      return path === "/api/session" ? Response.json(NOBODY) : Response.json({ errors: [] }, { status: 401 });
    });
    await api.GET("/api/round");
    expect(await screen.findByRole("heading", { name: "Sign in" })).toBeTruthy();
  });

  it("takes the farm up when the door is passed", async () => {
    let session = NOBODY;
    open(() => session, undefined, "/stations");
    await screen.findByRole("heading", { name: "Sign in" });
    session = MANAGER;
    fireEvent.change(screen.getByLabelText("Password"), { target: { value: "three brown hens" } });
    fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
    await waitFor(() => expect(screen.getByRole("link", { name: "Demo manager" })).toBeTruthy());
  });
});
