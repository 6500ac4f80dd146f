import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Refusal } from "../api/client";
import { type Answer, queueOf, sendWhenever } from "./waitingQueue";

beforeEach(() => localStorage.clear());
afterEach(() => vi.restoreAllMocks());

const kept = (key: string): Answer => ({ key, kept: true, reason: "" });

describe("entries that wait on a device", () => {
  it("go in order, each only when the server has it", async () => {
    const post = vi.fn(async () => [kept("a"), { key: "b", kept: false, reason: "no such set" }]);
    const queue = queueOf("q", post);
    queue.put({ key: "a" });
    queue.put({ key: "b" });
    await queue.sendAll();
    expect(post).toHaveBeenCalledWith([{ key: "a" }, { key: "b" }]);
    expect(queue.waiting()).toEqual([{ entry: { key: "b" }, refused: "no such set" }]);
  });

  it("wait without a signal and until somebody has signed in", async () => {
    for (const trouble of [new TypeError("no signal"), new Refusal([{ path: "", reason: "sign in" }], 401)]) {
      const queue = queueOf("q", () => Promise.reject(trouble));
      queue.put({ key: "a" });
      await queue.sendAll();
      expect(queue.waiting()).toEqual([{ entry: { key: "a" }, refused: "" }]);
    }
  });

  it("are not held up for good by a line no server takes", async () => {
    const bad = new Refusal([{ path: "entries[1].found", reason: "should be clogged or broken" }], 422);
    const post = vi
      .fn()
      .mockRejectedValueOnce(bad)
      .mockResolvedValueOnce([kept("a"), kept("c")]);
    const queue = queueOf("q", post);
    for (const key of ["a", "b", "c"]) queue.put({ key });
    await queue.sendAll();
    expect(queue.waiting().map((w) => w.refused)).toEqual(["", "should be clogged or broken", ""]);
    await queue.sendAll();
    expect(post).toHaveBeenLastCalledWith([{ key: "a" }, { key: "c" }]);
    expect(queue.waiting().map((w) => w.entry.key)).toEqual(["b"]);
  });

  it("say what else goes wrong", async () => {
    const queue = queueOf("q", () => Promise.reject(new Refusal([{ path: "request", reason: "odd" }], 422)));
    queue.put({ key: "a" });
    await expect(queue.sendAll()).rejects.toThrow("odd");
    expect(queue.waiting()).toHaveLength(1);
  });
});

describe("what waits is sent", () => {
  it("when a signal comes back, and every ten seconds while something waits", () => {
    vi.useFakeTimers();
    let waits = true;
    const send = vi.fn();
    const stop = sendWhenever(send, () => waits);
    window.dispatchEvent(new Event("online"));
    expect(send).toHaveBeenCalledTimes(1);
    vi.advanceTimersByTime(9_999);
    expect(send).toHaveBeenCalledTimes(1);
    vi.advanceTimersByTime(1);
    expect(send).toHaveBeenCalledTimes(2);
    waits = false; // nothing waits: nobody is asked
    vi.advanceTimersByTime(60_000);
    expect(send).toHaveBeenCalledTimes(2);
    stop();
    waits = true;
    vi.advanceTimersByTime(60_000);
    window.dispatchEvent(new Event("online"));
    expect(send).toHaveBeenCalledTimes(2);
    vi.useRealTimers();
  });
});
