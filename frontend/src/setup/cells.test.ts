import { describe, expect, it } from "vitest";
import { pasted } from "./cells";
import { field } from "./madeUp";

const FIELDS = [field("a", "A"), field("b", "B"), field("c", "C")];

describe("a pasted column", () => {
  it("fills the fields from where it was pasted on", () => {
    expect(pasted("t", FIELDS, 1, "label", "Berth\nCrew\n")).toEqual([
      { table: "t", field: "b", keep: false, label: "Berth" },
      { table: "t", field: "c", keep: false, label: "Crew" },
    ]);
  });
  it("has no more lines than there are fields", () => {
    expect(pasted("t", FIELDS, 2, "unit", "m\ncm\nmm").map((e) => e.field)).toEqual(["c"]);
  });
  it("leaves alone what is the same, and takes no empty label", () => {
    expect(pasted("t", FIELDS, 0, "label", "A\n\nNew")).toEqual([
      { table: "t", field: "c", keep: false, label: "New" },
    ]);
  });
  it("takes the first of several columns", () => {
    expect(pasted("t", FIELDS, 0, "meaning", "what it is\tother")[0]!.meaning).toBe("what it is");
  });
});
