import { describe, expect, it } from "vitest";
import type { FieldGroup } from "../api";
import type { Document } from "./types";
import { narrowings, unitOf, widened } from "./units";

const GROUPS = [
  { path: "", label: "", records: "tree", unit_by: null, fields: [{ path: "tag" }] },
  { path: "site", label: "Site", records: "site", unit_by: null, fields: [{ path: "site.name" }] },
  {
    path: "site.ward",
    label: "Ward",
    records: "ward",
    unit_by: "name",
    fields: [{ path: "site.ward.name" }],
  },
] as unknown as FieldGroup[];

const STANDING = { path: "status", is: "is", value: "S" };
const QUAY = { path: "site.ward.name", is: "one_of", values: ["Quay"] };
const BY_CODE = { path: "site.ward.code", is: "is", value: "03" };
const EITHER = { any: [QUAY, STANDING] };
const DOCUMENT = {
  name: "T",
  records: "tree",
  columns: [{ id: "unit", heading: "Tag", value: { field: "tag" } }],
  filter: { all: [STANDING, QUAY, BY_CODE, EITHER] },
} as unknown as Document;

describe("units", () => {
  it("are told by the field that the catalogue names", () => {
    expect(unitOf(GROUPS)).toBe("site.ward.name");
    expect(unitOf(GROUPS.slice(0, 2))).toBeNull();
  });

  it("are narrowed by any field of them, in what every row must meet", () => {
    expect(narrowings(DOCUMENT, "site.ward.name")).toEqual([QUAY, BY_CODE]);
  });

  it("are widened to all by one act that keeps the rest and shows the unit", () => {
    const wide = widened(DOCUMENT, "site.ward.name", "Ward");
    expect(wide.filter).toEqual({ all: [STANDING, EITHER] });
    expect(wide.columns?.map((c) => [c.id, c.heading])).toEqual([
      ["unit0", "Ward"],
      ["unit", "Tag"],
    ]);
    expect(widened(wide, "site.ward.name", "Ward").columns).toHaveLength(2);
  });
});
