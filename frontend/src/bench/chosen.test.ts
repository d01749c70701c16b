import { describe, expect, it } from "vitest";
import { choose } from "./chosen";

const ORDER = ["a", "b", "c", "d", "e"];

describe("choosing fields", () => {
  it("takes one alone, and lets it go by a second press", () => {
    expect(choose(ORDER, ["b", "c"], "c", "d", "only")).toEqual(["d"]);
    expect(choose(ORDER, ["d"], "d", "d", "only")).toEqual([]);
  });

  it("adds one, or takes it out, in the order of the shelf", () => {
    expect(choose(ORDER, ["d"], "d", "b", "too")).toEqual(["b", "d"]);
    expect(choose(ORDER, ["b", "d"], "b", "b", "too")).toEqual(["d"]);
  });

  it("takes all from the last one pressed, either way, and keeps the others", () => {
    expect(choose(ORDER, ["b"], "b", "d", "up to")).toEqual(["b", "c", "d"]);
    expect(choose(ORDER, ["d"], "d", "b", "up to")).toEqual(["b", "c", "d"]);
    expect(choose(ORDER, ["a", "d"], "d", "e", "up to")).toEqual(["a", "d", "e"]);
    expect(choose(ORDER, [], null, "c", "up to")).toEqual(["c"]);
    expect(choose(ORDER, ["x"], "x", "c", "up to")).toEqual(["c"]);
  });
});
