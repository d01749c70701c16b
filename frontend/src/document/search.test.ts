import { describe, expect, it } from "vitest";
import type { FieldGroup, FieldInfo } from "../api";
import { firstCondition, headingOf } from "./defaults";
import { findFields, partsOf, usedMost } from "./search";

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
    part_of: "",
    uses: 0,
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

describe("parts and habits", () => {
  const site: FieldGroup = {
    path: "site",
    label: "Site",
    note: "",
    records: "site",
    fields: [
      field("Street", { part_of: "Address", uses: 2 }),
      field("Town", { part_of: "Address", uses: 9 }),
      field("Old town", { part_of: "Address", uses: 20, retired: "never kept up" }),
      field("Phone", { part_of: "Contact", uses: 1 }),
    ],
  };
  const parts = (text: string) =>
    partsOf(site, text).map((p) => `${p.label}: ${p.fields.map((f) => f.label).join()}`);

  it("offers together what is a part of one thing, without what is retired or alone", () => {
    expect(parts("")).toEqual(["Address: Street,Town"]);
    expect(parts("site addr")).toEqual(["Address: Street,Town"]);
    expect(parts("town")).toEqual([]);
  });

  it("finds the fields of a part by its name", () => {
    const found = findFields([site], "address", { everyday: true }).flatMap((g) =>
      g.fields.map((f) => f.label),
    );
    expect(found).toEqual(["Town", "Street", "Old town"]);
  });

  it("offers what most templates use first, and nothing that only one uses", () => {
    expect(usedMost([site], () => false, 5).map((u) => u.field.label)).toEqual(["Town", "Street"]);
    expect(usedMost([site], (path) => path === "town", 5).map((u) => u.field.label)).toEqual(["Street"]);
  });
});
