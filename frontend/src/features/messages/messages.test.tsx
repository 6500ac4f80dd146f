import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, sentTo, show } from "../../testing/support.test.helper";
import { MessagesPage } from "./MessagesPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const CONTENT = {
  choice: { email: "", morning_hour: null, alerts: false, quiet_from: 21, quiet_until: 6 },
  mail: false,
  messages: [
    {
      id: 2,
      kind: "alert",
      title: "Norte 2: the set of 21:00 did not run",
      plain: "AT ONCE",
      made: "2026-07-14T06:00+02:00",
      sent: null,
      state: "on this page only",
      trouble: "no address is entered",
    },
    {
      id: 1,
      kind: "morning",
      title: "Las Eras",
      plain: "x",
      made: "2026-07-14T06:00+02:00",
      sent: "2026-07-14T06:01+02:00",
      state: "sent",
      trouble: "",
    },
  ],
};

describe("messages", () => {
  it("are kept by what somebody chooses", async () => {
    const { asked } = answerWith({ "/api/messages/choice": CONTENT, "/api/messages": CONTENT });
    show(<MessagesPage />, FARM, "/messages");
    fireEvent.change(await screen.findByLabelText("Mail address"), { target: { value: "ines@farm.test" } });
    fireEvent.change(screen.getByLabelText(/^Morning letter/), { target: { value: "6" } });
    fireEvent.click(screen.getByLabelText(/^At once/));
    fireEvent.click(screen.getByRole("button", { name: "Keep this" }));
    await waitFor(async () =>
      expect(await sentTo(asked, "/messages/choice")).toEqual({
        email: "ines@farm.test",
        morning_hour: 6,
        alerts: true,
        quiet_from: 21,
        quiet_until: 6,
      }),
    );
  });

  it("all stand on the page, with what became of them", async () => {
    answerWith({ "/api/messages": CONTENT });
    show(<MessagesPage />, FARM, "/messages");
    const list = await screen.findByRole("list", { name: "What you were told" });
    expect(list.textContent).toContain("on this page only, no address is entered");
    expect(list.textContent).toContain("morning letter, 14 Jul 2026, 06:00: sent 06:01");
    expect(screen.getByText(/No mail goes out/)).toBeTruthy();
  });
});
