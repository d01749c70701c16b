import type { Check } from "./checks";
import { describe, expect, it } from "vitest";
import { checksFor, newCheck, tidied } from "./checks";
import type { Column } from "../document/types";

const COLUMNS = [{ id: "girth", heading: "Girth", value: { field: "t_girth" } }] as unknown as Column[];

describe("a check", () => {
  it("is offered for the kinds of value that it can look at", () => {
    const names = (kind: string) => checksFor(kind).map((c) => c.name);
    expect(names("text")).toContain("matches");
    expect(names("decimal")).not.toContain("matches");
    expect(names("").length).toBeGreaterThan(names("boolean").length);
  });

  it("begins as one that only notes, but for those of the whole file", () => {
    expect(newCheck("", COLUMNS)).toEqual({ column: "girth", must: "filled", severity: "note" });
    expect(newCheck("row", COLUMNS)).toEqual({ formula: "", severity: "note" });
    expect(newCheck("file", COLUMNS)).toEqual({ file: "not_empty", severity: "hold" });
  });

  it("is kept without what belongs to another kind of check", () => {
    const changed: Check = { column: "girth", must: "filled", least: "5", pattern: "*", severity: "stop" };
    expect(tidied(changed)).toEqual({ column: "girth", must: "filled", severity: "stop" });
  });

  it("is kept without what was left empty", () => {
    expect(tidied({ column: "girth", must: "between", least: "5", greatest: "" })).toEqual({
      column: "girth",
      must: "between",
      least: "5",
      severity: "note",
    });
    expect(tidied({ formula: "{girth} > 0", say: "" })).toEqual({ formula: "{girth} > 0", severity: "note" });
  });
});
