import { describe, expect, it } from "vitest";
import type { FieldInfo, SentencePart } from "../api";
import { canEdit, placeOf, titleOf, within } from "./sentence";
import type { Document } from "./types";

const DOCUMENT = {
  name: "T",
  records: "tree",
  columns: [],
  filter: {
    all: [
      { path: "planted_on", is: "in_window", window: { days: 30 } },
      { has: "inspections", where: { all: [{ path: "risk", is: "is", value: "4" }] } },
      { path: "status", is: "is", value: "S" },
    ],
  },
} as unknown as Document;

const part = (role: string, place: string) => ({ role, place, text: "", note: "" }) as SentencePart;
const title = (role: string, place: string) =>
  titleOf(part(role, place), DOCUMENT, (node) =>
    node.path === "planted_on" ? ({ label: "Planted on" } as FieldInfo) : undefined,
  );

describe("a place", () => {
  it("lies within itself and what holds it, and in no place that only begins alike", () => {
    expect(within("filter.all[1]", "filter.all[1]")).toBe(true);
    expect(within("filter.all[1].where.all[0]", "filter.all[1]")).toBe(true);
    expect(within("filter.all[12]", "filter.all[1]")).toBe(false);
    expect(within("columns[0]", "column")).toBe(false);
    expect(within("columns[0]", "")).toBe(false);
  });

  it("of what a “has” asks is that of the whole “has”", () => {
    expect(placeOf(part("value", "filter.all[1].where.all[0]"))).toBe("filter.all[1]");
    expect(placeOf(part("value", "filter.all[2]"))).toBe("filter.all[2]");
  });
});

describe("a part of the sentence", () => {
  it("can be changed where there is an editor for it", () => {
    expect(["records", "rows", "limit", "order", "split"].every((r) => canEdit(part(r, r), DOCUMENT))).toBe(
      true,
    );
    expect(canEdit(part("value", "filter.all[1].where.all[0]"), DOCUMENT)).toBe(true);
    expect(canEdit(part("value", "filter.all[7]"), DOCUMENT)).toBe(false);
    expect(canEdit(part("value", "columns[0].value"), DOCUMENT)).toBe(false);
    expect(canEdit(part("text", "filter.all[2]"), DOCUMENT)).toBe(false);
  });

  it("is headed by the question that its editor answers", () => {
    expect(title("rows", "rows")).toBe("One row per what?");
    expect(title("limit", "at_most")).toBe("How many rows, and which?");
    expect(title("split", "output.split")).toBe("One file, or several?");
    expect(title("value", "filter.all[0]")).toBe("Planted on: which days?");
    expect(title("value", "filter.all[1].where.all[0]")).toBe("Only records where…");
    expect(title("field", "filter.all[2]")).toBe("status");
  });
});
