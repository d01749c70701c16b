import { describe, expect, it } from "vitest";
import type { FieldGroup, FieldInfo } from "../api";
import { firstCondition, headingOf } from "./defaults";
import { findFields } from "./search";

function field(label: string, more: Partial<FieldInfo> = {}): FieldInfo {
  return {
    path: label.toLowerCase(),
    label,
    column: `tree.t_${label.toLowerCase()}`,
    kind: "text",
    meaning: "",
    unit: "",
    everyday: false,
    personal: false,
    retired: null,
    substitute: null,
    synonyms: [],
    choices: [],
    operators: [],
    example: null,
    fill: null,
    exact: true,
    whole: false,
    guesses: [],
    ...more,
  };
}

const GROUPS: FieldGroup[] = [
  {
    path: "",
    label: "Tree",
    note: "",
    records: "tree",
    fields: [
      field("Old girth", { retired: "never kept up" }),
      field("Girth", { everyday: true, meaning: "of the stem", synonyms: ["circumference"], unit: "cm" }),
      field("Note"),
    ],
  },
  {
    path: "site",
    label: "Site",
    note: "",
    records: "tree",
    fields: [field("Name", { path: "site.name", everyday: true })],
  },
];

const labels = (text: string, everyday = true) =>
  findFields(GROUPS, text, { everyday }).flatMap((g) => g.fields.map((f) => f.label));

describe("the shelf's search", () => {
  it("shows everyday fields until something is typed", () => {
    expect(labels("")).toEqual(["Girth", "Name"]);
    expect(labels("", false)).toHaveLength(4);
  });

  it("finds by label, technical name, meaning and synonym", () => {
    expect(labels("t_note")).toEqual(["Note"]);
    expect(labels("stem")).toEqual(["Girth"]);
    expect(labels("circum")).toEqual(["Girth"]);
  });

  it("finds a field by the record it belongs to, and puts retired ones last", () => {
    expect(labels("site name")).toEqual(["Name"]);
    expect(labels("girth")).toEqual(["Girth", "Old girth"]);
  });
});

describe("what a field brings along", () => {
  it("has its unit in its heading, and its record's name where it would mean nothing alone", () => {
    expect(headingOf(GROUPS[0]!.fields[1]!, "")).toBe("Girth (cm)");
    expect(headingOf(GROUPS[1]!.fields[0]!, "Tree › Site")).toBe("Site name");
  });

  it("starts with the comparison that its kind is asked for most", () => {
    const choices = [{ code: "S", label: "Standing" }];
    expect(firstCondition(field("Status", { kind: "choice", choices }))).toMatchObject({
      is: "one_of",
      values: ["S"],
    });
    expect(firstCondition(field("On", { kind: "date" }))).toMatchObject({ is: "in_window" });
    expect(firstCondition(field("Yes", { kind: "boolean" }))).toMatchObject({ is: "yes" });
    expect(firstCondition(field("Note")).is).toBe("not_blank");
  });
});
