import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { keptSince, notice, onKept, waitingCount } from "../lib/fieldCopy";
import { queueable, recordQueue } from "./recordQueue";

type Lists = Parameters<typeof queueable>[0];
const done = (value: number) => ({ value, at: "2026-07-14T06:00+02:00", who: "", note: "", photo: "" });
const run = (steps: Record<string, unknown>) =>
  ({
    procedure_runs: [{ key: "r1", procedure: "remove", station: "loma/n01", started: "x", done: steps }],
  }) as unknown as Lists;

function server(answers: (request: Request, body: unknown) => [number, unknown]) {
  const asked: { url: string; body: unknown }[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const body = request.method === "POST" ? await request.clone().json() : null;
    asked.push({ url: request.url, body });
    const [status, told] = answers(request, body);
    return new Response(JSON.stringify(told), { status, headers: { "content-type": "application/json" } });
  });
  return asked;
}

beforeEach(() => localStorage.clear());
afterEach(() => vi.unstubAllGlobals());

describe("records made without a signal", () => {
  it("are those of the field, by what they are about", () => {
    expect(queueable(run({}))?.key).toBe("procedure_runs r1");
    expect(queueable({ growth_days: [{ key: "g" }] } as unknown as Lists)?.key).toBe("growth_days g");
    expect(queueable({ orders: [{ key: "o" }] } as unknown as Lists)).toBeUndefined();
    expect(queueable({ ...run({}), growth_days: [] } as unknown as Lists)).toBeUndefined();
  });

  it("are put into the run as it is by then, not over it", async () => {
    const asked = server((request) =>
      request.method === "GET" ? [200, { run: { key: "r1", done: { off: done(1) } } }] : [200, {}],
    );
    recordQueue.put({ key: "procedure_runs r1", lists: run({ batteries: done(2) }) });
    expect(waitingCount()).toBe(1);
    await recordQueue.sendAll();
    const sent = asked.find((a) => a.url.endsWith("/api/farm"))?.body as {
      procedure_runs: { done: Record<string, unknown> }[];
    };
    expect(Object.keys(sent.procedure_runs[0]?.done ?? {}).sort()).toEqual(["batteries", "off"]);
    expect(recordQueue.waiting()).toEqual([]);
  });

  it("stay with the reason when they are refused, and hold no other up", async () => {
    server((request, body) =>
      request.method === "GET"
        ? [404, {}]
        : (body as Lists).growth_days
          ? [422, { errors: [{ path: "x", reason: "too long" }] }]
          : [200, {}],
    );
    recordQueue.put({
      key: "growth_days g",
      lists: { growth_days: [{ key: "g" }] } as unknown as Lists,
    });
    recordQueue.put({ key: "procedure_runs r1", lists: run({ off: done(1) }) });
    await recordQueue.sendAll();
    expect(recordQueue.waiting().map((w) => [w.entry.key, w.refused])).toEqual([
      ["growth_days g", "too long"],
    ]);
  });

  it("wait while there is no signal", async () => {
    vi.stubGlobal("fetch", async () => {
      throw new TypeError("no network");
    });
    recordQueue.put({ key: "procedure_runs r1", lists: run({ off: done(1) }) });
    await recordQueue.sendAll();
    expect(recordQueue.waiting()).toHaveLength(1);
  });
});

describe("this device's copy", () => {
  it("says since when it is so, until the network answers again", () => {
    const told = vi.fn();
    const stop = onKept(told);
    notice(new Response("", { headers: { "X-Kept-At": "Tue, 14 Jul 2026 04:00:00 GMT" } }));
    expect(keptSince()).toContain("14 Jul 2026");
    notice(new Response(""));
    expect(keptSince()).toBe("");
    notice(new Response(""));
    expect(told).toHaveBeenCalledTimes(2);
    stop();
  });
});
