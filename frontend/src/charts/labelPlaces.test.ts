import { describe, expect, it } from "vitest";
import { labelPlaces } from "./labelPlaces";

const at = (key: string, x: number, y: number) => ({ key, name: "probe A", x, y });

describe("names on the map", () => {
  it("stand to the right where there is room", () => {
    expect(labelPlaces([at("a", 100, 100)], [], 400, 300).get("a")).toBe("right");
  });

  it("turn to the left at the edge, and away from a neighbour's disc", () => {
    expect(labelPlaces([at("a", 380, 100)], [], 400, 300).get("a")).toBe("left");
    const found = labelPlaces([at("a", 100, 100), at("b", 140, 100)], [], 400, 300);
    expect(found.get("a")).toBe("left");
    expect(found.get("b")).toBe("right");
  });

  it("are left for pointing at where places stand shoulder to shoulder", () => {
    const grid = Array.from({ length: 25 }, (_, i) =>
      at(String(i), 100 + 18 * (i % 5), 100 + 18 * Math.floor(i / 5)),
    );
    expect(labelPlaces(grid, [], 400, 300).has("12")).toBe(false);
  });

  it("are not given to a place without a name, which is kept clear of", () => {
    const found = labelPlaces([at("a", 100, 100), { ...at("b", 140, 100), name: "" }], [], 400, 300);
    expect([found.get("a"), found.has("b")]).toEqual(["left", false]);
  });

  it("keep clear of the blocks' own names", () => {
    const name = { key: "norte", name: "Norte 1", x: 150, y: 110 };
    expect(labelPlaces([at("a", 100, 100)], [name], 400, 300).get("a")).not.toBe("right");
  });
});
