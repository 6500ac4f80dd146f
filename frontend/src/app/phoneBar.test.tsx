import { cleanup, fireEvent, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { block, FARM, show } from "../testing/support.test.helper";
import { NextStep } from "../ui/NextStep";
import { PhoneBar } from "./PhoneBar";

afterEach(cleanup);

describe("the bar of a phone", () => {
  it("has the places of the field, and all others behind More", () => {
    show(<PhoneBar farm={FARM} />);
    const bar = screen.getByRole("navigation", { name: "Places in the field" });
    expect(
      within(bar)
        .getAllByRole("link")
        .map((a) => a.textContent),
    ).toEqual(["Round", "Tonight", "Read", "Visits"]);
    fireEvent.click(within(bar).getByRole("button", { name: "More" }));
    const sheet = screen.getByRole("dialog");
    const others = within(sheet)
      .getAllByRole("link")
      .map((a) => a.textContent);
    expect(others).toEqual(expect.arrayContaining(["Plan", "Stations", "Messages", "Set-up"]));
    expect(others).not.toContain("Tonight");
    fireEvent.click(within(sheet).getByRole("link", { name: "Stations" }));
    expect(screen.queryByRole("dialog")).toBeNull();
  });
});

const SHALLOW = {
  code: "reason.no_advice",
  text: "",
  values: {
    why: {
      code: "at.station",
      values: {
        station: "probe",
        what: { code: "too_shallow.sensors", values: { bottom_cm: 70, roots_cm: 100 } },
      },
    },
  },
};

describe("the next step", () => {
  it("is named with its page, whatever the reason stands within", () => {
    show(<NextStep block={block({ group: "none", reasons: [SHALLOW] as never })} />);
    const link = screen.getByRole("link", { name: "Enter how deep its roots are, or add a deeper sensor" });
    expect(link.getAttribute("href")).toBe("/setup/hoya?tab=crop");
  });

  it("is not invented where none is known, nor where there is advice", () => {
    const other = {
      code: "reason.no_advice",
      text: "",
      values: { why: { code: "missing.silent", values: {} } },
    };
    show(<NextStep block={block({ group: "none", reasons: [other] as never })} />);
    show(<NextStep block={block({ group: "act", reasons: [SHALLOW] as never })} />);
    expect(screen.queryByRole("link")).toBeNull();
  });
});
