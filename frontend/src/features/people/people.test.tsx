import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { api, keepToken, onSignedOut } from "../../api/client";
import { type Session, SessionProvider } from "../../app/session";
import { answerWith, show } from "../../testing/support.test.helper";
import { Door } from "./Door";
import { PeoplePage } from "./PeoplePage";

const PERSON: NonNullable<Session["person"]> = {
  id: 2,
  sign_in: "ana",
  name: "Ana",
  role: "owner",
  units: null,
  language: "en",
  state: "active",
  seen: "2026-07-13T20:00+02:00",
  by_itself: false,
};
const NOBODY: Session = { first_run: false, person: null, may: [], csrf_token: "t0" };
const OWNER: Session = { first_run: false, person: PERSON, may: ["look", "people"], csrf_token: "t1" };
const ROLES = [
  { role: "viewer", words: "sees everything" },
  { role: "owner", words: "also the people" },
];
const bo = {
  ...PERSON,
  id: 3,
  sign_in: "bo",
  name: "Bo",
  role: "viewer" as const,
  state: "invited" as const,
};

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  localStorage.clear();
});

describe("the door", () => {
  it("signs in, and keeps the token of the answer for the next write", async () => {
    const { asked } = answerWith({ "/api/session": OWNER, "/api/people": {} });
    keepToken("t0");
    show(<Door session={NOBODY} />);
    fireEvent.change(screen.getByLabelText("Name you sign in with"), { target: { value: "ana" } });
    fireEvent.change(screen.getByLabelText("Password"), { target: { value: "three brown hens" } });
    fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]?.headers.get("X-CSRF-Token")).toBe("t0");
    expect(await asked[0]?.json()).toEqual({ sign_in: "ana", password: "three brown hens" });
    await waitFor(async () => {
      await api.POST("/api/people", { body: { sign_in: "x1", name: "X", role: "viewer" } });
      expect(asked.at(-1)?.headers.get("X-CSRF-Token")).toBe("t1");
    });
  });

  it("says beside its entry what the server refuses", async () => {
    vi.stubGlobal("fetch", async () =>
      Response.json(
        { errors: [{ path: "sign_in", reason: "the name or the password is not right" }] },
        { status: 401 },
      ),
    );
    show(<Door session={NOBODY} />);
    fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
    expect(await screen.findByText("the name or the password is not right")).toBeTruthy();
  });

  it("makes the first owner with the code of the link, and asks for the code when the link had none", async () => {
    const { asked } = answerWith({ "/api/people/first": OWNER });
    show(<Door session={{ ...NOBODY, first_run: true }} />, undefined, "/first#secret");
    expect(screen.queryByLabelText("Code")).toBeNull();
    fireEvent.change(screen.getByLabelText("Your name"), { target: { value: "Ana" } });
    fireEvent.click(screen.getByRole("button", { name: "Make the owner and sign in" }));
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(await asked[0]?.json()).toMatchObject({ code: "secret", name: "Ana" });
    cleanup();
    show(<Door session={{ ...NOBODY, first_run: true }} />);
    expect(screen.getByLabelText("Code")).toBeTruthy();
  });

  it("takes an invitation by the code after the hash", async () => {
    const { asked } = answerWith({ "/api/invitations": OWNER });
    show(<Door session={NOBODY} />, undefined, "/invitation#abc");
    fireEvent.change(screen.getByLabelText("Password"), { target: { value: "three brown hens" } });
    fireEvent.click(screen.getByRole("button", { name: "Set password and sign in" }));
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(await asked[0]?.json()).toEqual({ code: "abc", password: "three brown hens" });
  });
});

describe("writes", () => {
  it("go once more with a new token when theirs has aged", async () => {
    const tokens: (string | null)[] = [];
    vi.stubGlobal("fetch", async (input: Request | string) => {
      if (typeof input === "string") return Response.json({ ...OWNER, csrf_token: "new" });
      tokens.push(input.headers.get("X-CSRF-Token"));
      if (tokens.length > 1) return Response.json(bo);
      return Response.json(
        { errors: [{ path: "request", reason: "The CSRF token is invalid." }] },
        { status: 400 },
      );
    });
    keepToken("old");
    const answer = await api.PATCH("/api/people/{id}", { params: { path: { id: 3 } }, body: { left: true } });
    expect(answer.data?.name).toBe("Bo");
    expect(tokens).toEqual(["old", "new"]);
  });

  it("tell when nobody is signed in any more", async () => {
    const told = vi.fn();
    onSignedOut(told);
    vi.stubGlobal("fetch", async () => Response.json({ errors: [] }, { status: 401 }));
    await api.GET("/api/farm");
    expect(told).toHaveBeenCalledOnce();
    onSignedOut(() => {});
  });
});

describe("the people of the farm", () => {
  const page = (session: Session, at: string) =>
    show(
      <SessionProvider session={session}>
        <PeoplePage />
      </SessionProvider>,
      undefined,
      at,
    );

  it("are invited by an owner, whose link is shown once", async () => {
    const { asked } = answerWith({
      "/api/people": { people: [PERSON, bo], roles: ROLES, person: bo, code: "c0de", days: 7 },
    });
    page(OWNER, "/people?tab=people");
    expect(await screen.findByText("Bo")).toBeTruthy();
    expect(screen.getByText("last here 13 Jul")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Name"), { target: { value: "Bo" } });
    fireEvent.change(screen.getByLabelText("Signs in as"), { target: { value: "bo" } });
    fireEvent.click(screen.getByRole("button", { name: "Invite" }));
    expect(await screen.findByText(/\/invitation#c0de$/)).toBeTruthy();
    const sent = asked.find((r) => r.method === "POST");
    expect(await sent?.json()).toEqual({ name: "Bo", sign_in: "bo", role: "field hand" });
    fireEvent.click(screen.getByRole("button", { name: "Done" }));
    expect(screen.queryByText(/invitation#/)).toBeNull();
  });

  it("change role and leave at an owner's word", async () => {
    const { asked } = answerWith({ "/api/people": { people: [PERSON, bo], roles: ROLES }, "/people/3": bo });
    page(OWNER, "/people?tab=people");
    fireEvent.change(await screen.findByLabelText("Role of Bo"), { target: { value: "owner" } });
    await waitFor(() => expect(asked.some((r) => r.method === "PATCH")).toBe(true));
    expect(await asked.find((r) => r.method === "PATCH")?.json()).toEqual({ role: "owner" });
    const row = screen.getByText("Bo").closest("li") as HTMLElement;
    fireEvent.click(within(row).getByRole("button", { name: "has left" }));
    await waitFor(() => expect(asked.filter((r) => r.method === "PATCH")).toHaveLength(2));
    expect(await asked.filter((r) => r.method === "PATCH")[1]?.json()).toEqual({ left: true });
  });

  it("are only looked at by everybody else", async () => {
    answerWith({ "/api/people": { people: [PERSON, bo], roles: ROLES } });
    page({ ...OWNER, may: ["look"] }, "/people?tab=people");
    expect(await screen.findByText("Bo")).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Invite" })).toBeNull();
    expect(screen.queryByLabelText("Role of Bo")).toBeNull();
  });

  it("see who changed what, before and after, and older lines when asked", async () => {
    const line = {
      id: 7,
      at: "2026-07-13T20:05+02:00",
      who: "Ana",
      role: "owner",
      kind: "blocks",
      subject: "hoya",
      what: "changed",
      values: [
        { name: "root_depth_cm", before: "60.0", after: "55.0" },
        { name: "ec_water_ds_m", before: "1.2", after: "1.4" },
        { name: "soil_id", before: null, after: "1" },
        { name: "full_root_date", before: null, after: null },
      ],
    };
    const { asked } = answerWith({
      "/api/changes": { changes: [line], more: true },
      "/api/people": { people: [PERSON], roles: ROLES },
    });
    page(OWNER, "/people?tab=changes&about=hoya");
    expect(await screen.findByText("root depth 60 cm → 55 cm · ec water ds m 1.2 → 1.4")).toBeTruthy();
    expect(screen.getByText("13 Jul 20:05")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Older ones" }));
    await waitFor(() => expect(asked.some((r) => r.url.includes("before=7"))).toBe(true));
    expect(asked.some((r) => r.url.includes("about=hoya"))).toBe(true);
  });

  it("choose their own units and change their password", async () => {
    const { asked } = answerWith({ "/api/session": OWNER });
    page(OWNER, "/people");
    fireEvent.change(screen.getByLabelText("Units you see"), { target: { value: "us" } });
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(await asked[0]?.json()).toEqual({ units: "us" });
    fireEvent.change(screen.getByLabelText("Password in force"), { target: { value: "old words" } });
    fireEvent.change(screen.getByLabelText("New password"), { target: { value: "four brown hens" } });
    fireEvent.click(screen.getByRole("button", { name: "Change password" }));
    expect(await screen.findByText(/Your password is changed/)).toBeTruthy();
    expect(await asked.at(-1)?.json()).toEqual({ old_password: "old words", password: "four brown hens" });
  });

  it("sign out, and are told what still waits on this phone", async () => {
    localStorage.setItem("hand-queue", "[{}]");
    const { asked } = answerWith({ "/api/session": NOBODY });
    page(OWNER, "/people");
    expect(screen.getByText(/One station waits on this phone/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Sign out on this device" }));
    await waitFor(() => expect(asked.some((r) => r.method === "DELETE")).toBe(true));
    expect(localStorage.getItem("hand-queue")).toBe("[{}]");
  });
});
