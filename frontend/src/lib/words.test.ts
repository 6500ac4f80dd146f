import { afterEach, describe, expect, it, vi } from "vitest";
import { capital, keepLanguage, say, sayCode, sayCount, sayWith, speak, spoken } from "./words";

afterEach(() => {
  speak("en", {});
  localStorage.clear();
});

describe("words", () => {
  it("are English as they stand where no catalogue has them", () => {
    expect(say`Log a set · ${"Norte 1"}`).toBe("Log a set · Norte 1");
    speak("es", {});
    expect(say`Log a set · ${"Norte 1"}`).toBe("Log a set · Norte 1");
    expect(spoken()).toBe("es");
  });

  it("take another order in another language, with their values in it", () => {
    speak("es", { "{0} of {1}": "de {1}, {0}", loam: "franco" });
    expect(say`${3} of ${5}`).toBe("de 5, 3");
    expect(say`${null} of ${undefined}`).toBe("de , ");
    expect(sayCode("loam")).toBe("franco");
    expect(say`${"loam"} of ${false}`).toBe("de , franco");
    expect(sayWith`${"a"} of ${"b"}`).toBeTruthy();
  });

  it("count in the forms a language has", () => {
    expect([0, 1, 2].map((n) => sayCount(n, "one day", "{n} days"))).toEqual(["0 days", "one day", "2 days"]);
    speak("es", { "one day\n{n} days": ["un día", "{n} días"] });
    expect([0, 1, 2].map((n) => sayCount(n, "one day", "{n} days"))).toEqual(["0 días", "un día", "2 días"]);
  });

  it("begin a sentence", () => {
    expect([capital("too wet"), capital("")]).toEqual(["Too wet", ""]);
  });
});

describe("a language", () => {
  it("is kept for the next page, and asks for one only when it is another", () => {
    expect(keepLanguage("en")).toBe(false);
    expect(keepLanguage("es")).toBe(true);
    expect(localStorage.getItem("embalse.language")).toBe("es");
    expect(keepLanguage("no such")).toBe(false); // English, which is spoken already
  });

  it("that cannot be kept asks for no page again and again", () => {
    const full = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
      throw new Error("full");
    });
    expect(keepLanguage("es")).toBe(false);
    full.mockRestore();
  });
});
