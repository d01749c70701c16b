import { describe, expect, it } from "vitest";
import type { FieldInfo, RecordTypeFields } from "../api";
import type { Document, Narrowing } from "../document/types";
import { proposedName, searched } from "./view";

const GONE: Narrowing = { path: "deleted_at", is: "blank" };

function field(path: string, more: Partial<FieldInfo> = {}): FieldInfo {
  return {
    path,
    label: path,
    kind: "text",
    operators: ["is", "contains"],
    choices: [],
    whole: false,
    everyday: true,
    ...more,
  } as FieldInfo;
}

const TREES = {
  record_type: { name: "tree", label: "tree", plural: "trees", title: "tag" },
  proposed: [GONE],
  groups: [
    {
      path: "",
      fields: [
        field("tag"),
        field("number", { kind: "identifier", whole: true }),
        field("status", {
          kind: "choice",
          operators: ["one_of"],
          choices: [{ code: "S", label: "Standing" }],
        }),
        field("native", { kind: "boolean", label: "Native", operators: ["yes", "no"] }),
        field("note", { everyday: false }),
      ],
    },
    { path: "site.ward", fields: [field("site.ward.name")] },
  ],
} as unknown as RecordTypeFields;

function seen(...all: Narrowing[]): Document {
  const columns = [{ id: "a", heading: "Tag", value: { field: "tag" } }];
  return {
    format: "bouquet-template/1",
    name: "trees",
    records: "tree",
    columns,
    filter: { all: [GONE, ...all] },
  };
}

describe("a name for what is seen", () => {
  it("says whose and how, and nothing of what every list of them leaves out", () => {
    const quay: Narrowing = { path: "site.ward.name", is: "is", value: "Quay" };
    const standing: Narrowing = { path: "status", is: "one_of", values: ["S"] };
    expect(proposedName(seen(), TREES, "")).toBe("Trees");
    expect(proposedName(seen(quay, standing), TREES, "")).toBe("Trees of Quay, standing");
    expect(proposedName(seen({ path: "native", is: "no" }, { picks: "Oaks" }), TREES, "limb")).toBe(
      "Trees of “Oaks”, not native, “limb”",
    );
  });
});

describe("a search", () => {
  const paths = (document: Document) =>
    JSON.stringify(document.filter)
      .match(/"path":"[^"]+"/g)
      ?.slice(1);

  it("looks in what is on screen, or in all fields, and in numbers only for digits", () => {
    expect(paths(searched(seen(), TREES, "sta"))).toEqual(['"path":"tag"']);
    expect(paths(searched(seen(), TREES, "sta", true))).toEqual(
      ["tag", "status", "note", "site.ward.name"].map((p) => `"path":"${p}"`),
    );
    expect(paths(searched(seen(), TREES, "12", true))).toContain('"path":"number"');
  });
});
