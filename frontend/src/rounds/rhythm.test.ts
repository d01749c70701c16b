import { describe, expect, it } from "vitest";
import { KINDS, readNumbers, withKind, writeNumbers } from "./rhythm";

describe("days of the month as typed", () => {
  it("reads numbers and “last”, and writes them back", () => {
    expect(readNumbers("1, 15 last")).toEqual([1, 15, -1]);
    expect(writeNumbers([1, 15, -1])).toBe("1, 15, last");
  });

  it("says when something else was typed", () => {
    expect(readNumbers("first")).toBeNull();
    expect(readNumbers("1.5")).toBeNull();
  });
});

describe("another kind of rhythm", () => {
  it("keeps times and days off, and nothing of the old days", () => {
    const before = { ...KINDS.nth!.start, times: ["07:00"], day_off: "next" as const };
    expect(withKind(before, "day")).toEqual({
      every: "day",
      times: ["07:00"],
      often: undefined,
      day_off: "next",
    });
  });
});
