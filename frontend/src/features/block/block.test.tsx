import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { WorkingLine } from "../../api/client";
import { answerWith, block, FARM, sentTo, show } from "../../testing/support.test.helper";
import { WhatIfWorking } from "./WhatIfWorking";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function lines(efficiency: number, gross: number): WorkingLine[] {
  const source = { kind: "entry" as const, title: "system drip", detail: "" };
  const plain = { formula: "", source, low: null, high: null };
  return [
    {
      ...plain,
      key: "net_mm",
      label: "Net over the block",
      value: 21.5,
      unit: "mm",
      op: "",
      result: true,
      minutes: null,
      change: "",
    },
    {
      ...plain,
      key: "efficiency_fraction",
      label: "Efficiency",
      value: efficiency,
      unit: "",
      op: "÷",
      result: false,
      minutes: null,
      change: "efficiency_fraction",
    },
    {
      ...plain,
      key: "gross_mm",
      label: "Gross over the block",
      value: gross,
      unit: "mm",
      op: "",
      result: true,
      minutes: null,
      change: "",
    },
  ];
}

const NOW = block({ working: lines(0.9, 23.9) });
const THEN = block({ working: lines(0.5, 43) });

async function change(to: string) {
  fireEvent.click(screen.getByRole("button", { name: /Change Efficiency/ }));
  const input = screen.getByLabelText("What if Efficiency were");
  fireEvent.change(input, { target: { value: to } });
  fireEvent.blur(input);
}

describe("what if", () => {
  it("sends the change and shows the new result beside the old", async () => {
    const { asked } = answerWith({
      "/what-if": { before: NOW, after: THEN, changes: { efficiency_fraction: 0.5 } },
    });
    show(<WhatIfWorking advice={NOW} asOf={undefined} />);
    await change("0,5");
    await screen.findByText("43 mm");
    expect(await sentTo(asked, "/what-if")).toEqual({ changes: { efficiency_fraction: 0.5 }, as_of: null });
    expect([...document.querySelectorAll("s")].map((s) => s.textContent)).toEqual(["0.90", "24 mm"]);
    fireEvent.click(screen.getByRole("button", { name: "as now" }));
    expect(document.querySelectorAll("s")).toHaveLength(0);
    expect(screen.getByText("24 mm")).toBeTruthy();
  });

  it("takes a change back when the entry is emptied or is no number", async () => {
    const { asked } = answerWith({ "/what-if": { before: NOW, after: THEN, changes: {} } });
    show(<WhatIfWorking advice={NOW} asOf={undefined} />);
    await change("much");
    await change("");
    expect(await sentTo(asked, "/what-if")).toBeUndefined();
    expect(screen.getByRole("heading").textContent).toBe("Working");
  });

  it("shows the refusal and keeps the figures", async () => {
    answerWith({});
    show(<WhatIfWorking advice={NOW} asOf={undefined} />);
    await change("7");
    await waitFor(() => expect(screen.getByText("nothing here")).toBeTruthy());
    expect(screen.getByText("24 mm")).toBeTruthy();
  });

  it("strikes out nothing that stays as it is, hours to five minutes included", () => {
    const line = NOW.working[0] as (typeof NOW.working)[number];
    const hours = { ...line, key: "set_time_h", value: 7.87, unit: "h", minutes: 470, change: "" };
    show(<WhatIfWorking advice={{ ...NOW, working: [...NOW.working, hours] }} asOf={undefined} />);
    expect(screen.getByText("7 h 50 min")).toBeTruthy();
    expect(document.querySelectorAll("s")).toHaveLength(0);
  });

  it("only lets entries be changed", () => {
    show(<WhatIfWorking advice={NOW} asOf={undefined} />);
    expect(screen.getAllByRole("button", { name: /^Change / })).toHaveLength(1);
  });

  it("says why there is nothing to work out", () => {
    const none = block({ group: "none", working: [], reason: "No advice because probe: no readings yet." });
    show(<WhatIfWorking advice={none} asOf={undefined} />, FARM);
    expect(screen.getByText("No advice because probe: no readings yet.")).toBeTruthy();
  });
});
