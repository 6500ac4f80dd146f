import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { answerWith, FARM, show } from "../../testing/support.test.helper";
import { ImportPage } from "./ImportPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const FILE = {
  token: "t",
  name: "probe.csv",
  size: 1200,
  delimiter: ";",
  header_line: 1,
  units_line: null,
  first_data_line: 2,
  date_order: "dmy",
  decimal: ",",
  head: ["time;a;b", "03/04/2026 00:00;20,1;21"],
  columns: [
    { name: "time", unit: "", samples: ["03/04/2026 00:00"], is_time: true },
    { name: "a", unit: "%", samples: ["20,1"], is_time: false },
    { name: "b", unit: "", samples: ["21"], is_time: false },
  ],
  cautions: ["day first is assumed"],
  rows_hold: "time",
  said_by: [],
  value_column: "",
  suggestion: { a: "hoya/a/10" },
  time_zone: "Europe/Madrid",
  matched: "column names",
};
const SENSORS = {
  sensors: [10, 30].map((d) => ({
    ref: `hoya/a/${d}`,
    label: `Hoya, probe, ${d} cm`,
    depth_cm: d,
    raw_unit: "%",
    channel: "",
  })),
};
const PREVIEW = {
  rows: [{ line: 2, at: 1, local: "2026-04-03T00:00+02:00", values: { a: 20.1 } }],
  refusals: [],
};
const REPORT = {
  status: "refused",
  message: "1 row or cell was refused, so nothing was stored.",
  rows_read: 10,
  readings_new: 0,
  readings_known: 0,
  cells_empty: 0,
  refused: 1,
  out_of_order: 0,
  first_at: null,
  last_at: null,
  refusals: [{ line: 7, column: "a", reason: "not a number", text: "damp" }],
  notes: [],
  changed: [],
};
const job = (finished: boolean, report: unknown) => ({
  token: "j",
  file_name: "probe.csv",
  done_bytes: 600,
  total_bytes: 1200,
  finished,
  error: "",
  report,
});

async function chooseFile() {
  const input = document.querySelector("input[type=file]") as HTMLInputElement;
  fireEvent.change(input, { target: { files: [new File(["x"], "probe.csv")] } });
  await screen.findByText("What each column is");
}

const PAST = {
  id: 7,
  file_name: "probe.csv",
  status: "done",
  started_at: "2026-07-14T06:00+02:00",
  rows_read: 10,
  readings_new: 1200,
  readings_known: 0,
  refused: 0,
  message: "",
  can_be_undone: true,
};

describe("the Import page", () => {
  it("asks for a block first when there is no sensor", () => {
    show(<ImportPage />, { ...FARM, sensors: 0 });
    expect(screen.getByRole("link", { name: "Set up a block" })).toBeTruthy();
  });

  it("shows what was found in the file and how it is read", async () => {
    const { asked } = answerWith({
      "/api/files": FILE,
      "/sensors": SENSORS,
      "/preview": PREVIEW,
      "/imports": { imports: [] },
    });
    show(<ImportPage />);
    await chooseFile();
    expect(screen.getByText(/day first is assumed/)).toBeTruthy();
    expect((screen.getByLabelText("Dates are written") as HTMLSelectElement).value).toBe("dmy");
    expect((await screen.findByText("Fri 3 Apr 00:00")).parentElement?.textContent).toContain("20.1");
    const preview = asked.find((r) => r.url.endsWith("/preview"));
    const sent = await preview?.json();
    expect(sent?.plan).toEqual({
      rows_hold: "time",
      time_zone: "Europe/Madrid",
      date_order: "dmy",
      decimal: ",",
      columns: [{ column: "a", sensor: "hoya/a/10", unit: "%" }],
    });
  });

  it("says whose the readings of a row are, and takes a row as one time when told so", async () => {
    const long = {
      ...FILE,
      rows_hold: "reading",
      said_by: ["probe", "depth"],
      value_column: "value",
      columns: [{ name: "A / 30", unit: "", samples: ["0.2"], is_time: false }],
      suggestion: { "A / 30": "hoya/a/30" },
    };
    const { asked } = answerWith({
      "/api/files": long,
      "/api/files/t": FILE,
      "/sensors": SENSORS,
      "/preview": PREVIEW,
      "/imports": { imports: [] },
    });
    show(<ImportPage />);
    const input = document.querySelector("input[type=file]") as HTMLInputElement;
    fireEvent.change(input, { target: { files: [new File(["x"], "long.csv")] } });
    expect(
      await screen.findByText(/A row is one reading: probe, depth name the sensor, value holds it/),
    ).toBeTruthy();
    expect(screen.getByRole("columnheader", { name: "probe / depth" })).toBeTruthy();
    await waitFor(() => expect(asked.some((r) => r.url.endsWith("/preview"))).toBe(true));
    const sent = await asked.find((r) => r.url.endsWith("/preview"))?.json();
    expect(sent?.plan.rows_hold).toBe("reading");
    fireEvent.click(screen.getByRole("button", { name: "no, a row is one time" }));
    expect(await screen.findByText("What each column is")).toBeTruthy();
    expect(asked.some((r) => r.url.endsWith("/api/files/t?rows_hold=time"))).toBe(true);
  });

  it("does not import before a column is mapped", async () => {
    answerWith({
      "/api/files": { ...FILE, suggestion: {} },
      "/sensors": SENSORS,
      "/preview": PREVIEW,
      "/imports": { imports: [] },
    });
    show(<ImportPage />);
    await chooseFile();
    expect(screen.getByText("Choose a sensor for at least one column.")).toBeTruthy();
    expect((screen.getByRole("button", { name: "Import the file" }) as HTMLButtonElement).disabled).toBe(
      true,
    );
  });

  it("reports refused rows and offers the rest", async () => {
    const { asked } = answerWith({
      "/api/files": FILE,
      "/sensors": SENSORS,
      "/preview": PREVIEW,
      "/imports": { imports: [] },
      "/import": job(false, null),
      "/running/j": job(true, REPORT),
    });
    show(<ImportPage />);
    await chooseFile();
    const start = screen.getByRole("button", { name: "Import the file" }) as HTMLButtonElement;
    await waitFor(() => expect(start.disabled).toBe(false));
    fireEvent.click(start);
    const status = await screen.findByRole("status");
    expect(status.textContent).toContain("so nothing was stored");
    expect(within(status).getByText(/line 7/).parentElement?.textContent).toContain("a: not a number [damp]");
    fireEvent.click(within(status).getByRole("button", { name: "Import the rest without the refused" }));
    await waitFor(() => expect(asked.filter((r) => r.url.endsWith("/import"))).toHaveLength(2));
    const bodies = await Promise.all(asked.filter((r) => r.url.endsWith("/import")).map((r) => r.json()));
    expect(bodies.map((b) => b.skip_refused)).toEqual([false, true]);
    expect(bodies[0].save_as).toBe("probe");
  });

  it("says what the readings changed in the advice", async () => {
    const change = {
      key: "hoya",
      name: "Hoya",
      group_before: "none",
      group_after: "act",
      depletion_before_mm: null,
      depletion_after_mm: 43.2,
      net_before_mm: null,
      net_after_mm: 21.5,
    };
    answerWith({
      "/api/files": FILE,
      "/sensors": SENSORS,
      "/preview": PREVIEW,
      "/imports": { imports: [] },
      "/import": job(false, null),
      "/running/j": job(true, { ...REPORT, status: "done", message: "", changed: [change] }),
    });
    show(<ImportPage />);
    await chooseFile();
    const start = screen.getByRole("button", { name: "Import the file" }) as HTMLButtonElement;
    await waitFor(() => expect(start.disabled).toBe(false));
    fireEvent.click(start);
    const table = await screen.findByRole("table", { name: "What changed" });
    const cells = within(table).getAllByRole("cell");
    expect(cells.map((c) => c.textContent)).toEqual([
      "Hoya",
      "no advice → act today",
      "none → 43 mm",
      "none → 22 mm",
    ]);
    const said = screen.getByRole("status").textContent ?? "";
    expect(said.startsWith("The advice changed for 1 block, and 1 of them moved on the Round.")).toBe(true);
    expect(said.indexOf("readings stored")).toBeGreaterThan(said.indexOf("act today")); // the advice comes first
  });

  it("says when the advice stays as it was", async () => {
    answerWith({
      "/api/files": FILE,
      "/sensors": SENSORS,
      "/preview": PREVIEW,
      "/imports": { imports: [] },
      "/import": job(false, null),
      "/running/j": job(true, { ...REPORT, status: "done", message: "", changed: [] }),
    });
    show(<ImportPage />);
    await chooseFile();
    const start = screen.getByRole("button", { name: "Import the file" }) as HTMLButtonElement;
    await waitFor(() => expect(start.disabled).toBe(false));
    fireEvent.click(start);
    expect(await screen.findByText("The advice stays as it was.")).toBeTruthy();
  });

  it("takes an import out only after asking", async () => {
    const { asked } = answerWith({ "/imports": { imports: [PAST] }, "/imports/7": { imports: [] } });
    show(<ImportPage />);
    fireEvent.click(await screen.findByRole("button", { name: "undo" }));
    fireEvent.click(screen.getByRole("button", { name: "Cancel" }));
    expect(asked.some((r) => r.method === "DELETE")).toBe(false);
    fireEvent.click(screen.getByRole("button", { name: "undo" }));
    fireEvent.click(screen.getByRole("button", { name: "take 1,200 readings out" }));
    await waitFor(() => expect(asked.filter((r) => r.method === "DELETE")).toHaveLength(1));
  });
});

describe("without a file at hand", () => {
  it("makes one of invented readings and reads it like any other", async () => {
    const made = "# Invented\ntime,hoya-a-10\n";
    const { asked } = answerWith({
      "/api/imports": { imports: [] },
      "/sample.csv": made,
      "/api/files": FILE,
      "/sensors": SENSORS,
      "/preview": PREVIEW,
    });
    show(<ImportPage />);
    fireEvent.click(await screen.findByRole("button", { name: "Try with invented readings" }));
    expect(await screen.findByRole("button", { name: "Import the file" })).toBeTruthy();
    expect(asked.some((r) => new URL(r.url).pathname === "/api/blocks/hoya/sample.csv")).toBe(true);
    expect(asked.some((r) => r.method === "POST" && r.url.endsWith("/api/files"))).toBe(true);
  });

  it("says why there can be none, and offers none once a file was read", async () => {
    answerWith({ "/api/imports": { imports: [] } });
    show(<ImportPage />);
    fireEvent.click(await screen.findByRole("button", { name: "Try with invented readings" }));
    expect(await screen.findByRole("alert")).toBeTruthy();
    cleanup();
    answerWith({ "/api/imports": { imports: [PAST] } });
    show(<ImportPage />);
    await screen.findByRole("region", { name: "Imports so far" });
    expect(screen.queryByRole("button", { name: "Try with invented readings" })).toBeNull();
  });
});
