import { describe, expect, it } from "vitest";
import { type Window, ofKind, sameKind, unitWords } from "./windows";

describe("a window of another kind", () => {
  it("takes over the unit and the number where it has them", () => {
    const last: Window = { type: "last", count: 12, unit: "month" };
    expect(ofKind("before_ago", last)).toEqual({ type: "before_ago", count: 12, unit: "month" });
    expect(ofKind("next", last)).toEqual({ type: "next", unit: "month" });
    expect(ofKind("all_time", last)).toEqual({ type: "all_time" });
  });

  it("between two days keeps the days", () => {
    const between: Window = { type: "between", first: "2026-01-01", last: "2026-02-01" };
    expect(ofKind("between", between)).toEqual(between);
    expect(ofKind("between", { type: "last", count: 3, unit: "day" })).toEqual({
      type: "between",
      first: "",
      last: "",
    });
  });

  it("begins with thirty where there was no number", () => {
    expect(ofKind("last", { type: "all_time" })).toMatchObject({ count: 30, unit: "day" });
  });
});

describe("windows", () => {
  it("are of one kind whatever their number", () => {
    expect(sameKind({ type: "last", count: 7 }, { type: "last", count: 30, unit: "day" })).toBe(true);
    expect(sameKind({ type: "last", count: 7, unit: "day" }, { type: "last", count: 7, unit: "week" })).toBe(
      false,
    );
    expect(sameKind({ type: "all_time" }, { type: "all_time", unit: "month" })).toBe(true);
  });

  it("have their units read as words", () => {
    expect([unitWords("day", true), unitWords("financial_year", false)]).toEqual(["days", "financial year"]);
  });
});
