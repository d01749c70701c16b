import { describe, expect, it } from "vitest";
import { numberShown } from "./shown";

describe("the number that a cell shows", () => {
  it.each([
    ["1234.5", {}, 1234.5],
    ["-£3,603.36", { prefix: "£", grouping: "," as const }, -3603.36],
    ["3 603,36 €", { suffix: " €", grouping: " " as const, decimal_mark: "," as const }, 3603.36],
    ["007", {}, 7],
  ])("%s", (text, show, number) => {
    expect(numberShown(text, show)).toBe(number);
  });

  it("is none where no number stands", () => {
    expect(["NaN", "", null, "12 of 15"].map((text) => numberShown(text, {}))).toEqual([
      null,
      null,
      null,
      null,
    ]);
  });
});
