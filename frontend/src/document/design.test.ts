import { describe, expect, it } from "vitest";
import type { FieldInfo, RecordTypeFields } from "../api";
import { answered, askEachTime, askNoLonger, withoutLooseAsks } from "./asks";
import { moveNode, outline, regroup } from "./filter";
import { EMPTY, reduce } from "./reducer";
import { groupsOf, underRule } from "./rows";
import type { Condition, Document } from "./types";

const a: Condition = { path: "a", is: "blank" };
const b: Condition = { path: "b", is: "blank" };
const c: Condition = { path: "c", is: "blank" };

function document(more: Partial<Document> = {}): Document {
  return { format: "bouquet-template/1", name: "T", records: "tree", filter: { all: [a, b, c] }, ...more };
}

function field(path: string, kind = "text"): FieldInfo {
  return {
    path,
    label: path,
    column: `t.${path}`,
    kind,
    meaning: "",
    unit: "",
    everyday: true,
    personal: false,
    retired: null,
    substitute: null,
    part_of: "",
    uses: 0,
    synonyms: [],
    choices: [],
    operators: ["is", "blank"],
    example: null,
    fill: 1,
    exact: true,
    whole: false,
    guesses: [],
  };
}

describe("narrowings put elsewhere", () => {
  it("moves one before another", () => {
    expect(moveNode(document(), "filter.all[2]", "filter.all[0]").filter).toEqual({ all: [c, a, b] });
  });

  it("joins two, so that either will do, and takes one out again", () => {
    const joined = moveNode(document(), "filter.all[2]", "filter.all[0]", true);
    expect(joined.filter).toEqual({ all: [{ any: [a, c] }, b] });
    expect(moveNode(joined, "filter.all[1]", "filter.all[0]", true).filter).toEqual({
      all: [{ any: [a, c, b] }],
    });
    expect(moveNode(joined, "filter.all[0].any[0]", null).filter).toEqual({ all: [c, b, a] });
  });

  it("changes nothing when a group is put into itself", () => {
    const group = document({ filter: { all: [{ any: [a, b] }, c] } });
    expect(moveNode(group, "filter.all[0]", "filter.all[0].any[1]")).toBe(group);
  });

  it("outlines groups with their depth, and changes how they join", () => {
    const group = document({ filter: { all: [{ any: [a, b] }, c] } });
    expect(outline(group).map((l) => [l.place, l.depth])).toEqual([
      ["filter.all[0]", 0],
      ["filter.all[0].any[0]", 1],
      ["filter.all[0].any[1]", 1],
      ["filter.all[1]", 0],
    ]);
    expect(regroup(group, "filter.all[0]", "none").filter).toEqual({ all: [{ none: [a, b] }, c] });
  });
});

describe("questions left open", () => {
  const narrowed = document({ filter: { all: [{ path: "ward", is: "one_of", values: ["Quay"] }] } });

  it("keeps what stood there as the answer offered, and gives it back", () => {
    const asked = askEachTime(narrowed, "filter.all[0]", field("ward"));
    expect(asked.asks).toEqual([{ name: "ward", label: "Which ward?", kind: "choices", default: ["Quay"] }]);
    const node = (asked.filter as { all: Condition[] }).all[0]!;
    expect(node).toEqual({ path: "ward", is: "one_of", ask: "ward" });
    expect(answered(asked, node)).toEqual({ path: "ward", is: "one_of", values: ["Quay"] });
    const settled = askNoLonger(asked, "filter.all[0]");
    expect(settled.filter).toEqual(narrowed.filter);
    expect(settled.asks).toBeUndefined();
  });

  it("names two questions of one field apart", () => {
    const two = document({
      filter: {
        all: [
          { path: "ward", is: "is", value: "x" },
          { path: "ward", is: "is_not", value: "y" },
        ],
      },
    });
    const asked = askEachTime(
      askEachTime(two, "filter.all[0]", field("ward")),
      "filter.all[1]",
      field("ward"),
    );
    expect(asked.asks?.map((q) => q.name)).toEqual(["ward", "ward_2"]);
  });
});

describe("another row rule", () => {
  const opened = document({
    rows: { per: "child", path: "inspections" },
    columns: [
      { id: "c1", heading: "Tag", value: { field: "tag" } },
      { id: "c2", heading: "On", value: { field: "inspections.on" } },
    ],
    filter: { all: [a, { path: "inspections.on", is: "in_window", window: { type: "last" } }] },
    order: [{ path: "inspections.on" }],
  });
  const fields = new Map([
    ["inspections.on", field("inspections.on", "date")],
    ["tag", field("tag")],
  ]);

  const ways = [
    {
      path: "inspections",
      label: "Inspections",
      records: "inspection",
      one: "inspection",
      plural: "inspections",
      files: [],
    },
  ];
  const recent: Condition = { path: "on", is: "in_window", window: { type: "last" } };

  it("folds what was a row each, narrowings and all, and still leaves out whom it left out", () => {
    const folded = underRule(opened, { per: "record" }, (p) => fields.get(p), ways);
    expect(folded.rows).toBeUndefined();
    expect(folded.columns![1]!.value).toEqual({
      fold: { path: "inspections.on", how: "greatest", where: recent },
    });
    expect(folded.columns![1]!.heading).toBe("On");
    expect(folded.filter).toEqual({ all: [a, { path: "inspections", has: "any", where: recent }] });
    expect(folded.order).toEqual([]);
  });

  it("loses no narrowing of children without a column, and joins one that a fold has already", () => {
    const bare = { ...opened, columns: opened.columns!.slice(0, 1) };
    const folded = underRule(bare, { per: "record" }, (p) => fields.get(p), ways);
    expect(folded.filter).toEqual({ all: [a, { path: "inspections", has: "any", where: recent }] });
    const own: Condition = { path: "risk", is: "blank" };
    const kept: Document = {
      ...opened,
      rows: { per: "child", path: "inspections", parents_without: "keep" },
      columns: [
        { id: "f", heading: "F", value: { fold: { path: "inspections", how: "count", where: own } } },
      ],
    };
    const joined = underRule(kept, { per: "record" }, (p) => fields.get(p), ways);
    expect(joined.columns![0]!.value).toEqual({
      fold: { path: "inspections", how: "count", where: { all: [own, recent] } },
    });
    expect(joined.filter).toEqual({ all: [a] });
  });

  it("folds columns that are no value of the group, heading and all, and gives them back", () => {
    const start = document({ columns: [{ id: "c1", heading: "tag", value: { field: "tag" } }] });
    const grouped = underRule(start, { per: "group", by: [{ path: "ward" }] }, (p) => fields.get(p), ways);
    expect(grouped.columns![0]).toMatchObject({
      heading: "Different tag",
      value: { fold: { path: "tag", how: "count_distinct" } },
    });
    const back = underRule(grouped, { per: "record" }, (p) => fields.get(p), ways);
    expect(back.columns![0]).toMatchObject({ heading: "tag", value: { field: "tag" } });
  });

  it("shows the opened records' fields first, without the way back", () => {
    const type = (name: string, groups: RecordTypeFields["groups"]): RecordTypeFields => ({
      record_type: {
        name,
        label: name,
        plural: `${name}s`,
        meaning: "",
        rows: 1,
        by_row: false,
        guesses: [],
        key: ["id"],
        title: null,
        link: null,
      },
      groups,
      many: [],
      proposed: [],
    });
    const tree = type("tree", [
      { path: "", label: "Tree", note: "one row each", records: "tree", fields: [field("tag")] },
    ]);
    const inspection = type("inspection", [
      { path: "", label: "Inspection", note: "", records: "inspection", fields: [field("on")] },
      { path: "tree", label: "Tree", note: "", records: "tree", fields: [field("tree.tag")] },
      {
        path: "tree.site",
        label: "Tree › Site",
        note: "",
        records: "site",
        fields: [field("tree.site.name")],
      },
    ]);
    const groups = groupsOf(tree, new Map([["inspections", inspection]]));
    expect(groups.map((g) => [g.path, g.note])).toEqual([
      ["inspections", "one row each"],
      ["", "repeats on each row"],
    ]);
    expect(groups[0]!.fields[0]!.path).toBe("inspections.on");
  });
});

describe("several columns", () => {
  const columns = ["c1", "c2", "c3", "c4"].map((id) => ({ id, heading: id, value: { constant: id } }));
  const state = { ...EMPTY, document: document({ columns }) };
  const ids = (s: typeof state) => s.document.columns!.map((x) => x.id);

  it("moves them together, and stops at the edge", () => {
    const moved = reduce(state, { type: "moveColumns", ids: ["c2", "c3"], by: 1 });
    expect(ids(moved)).toEqual(["c1", "c4", "c2", "c3"]);
    expect(reduce(moved, { type: "moveColumns", ids: ["c2", "c3"], by: 1 })).toBe(moved);
  });

  it("copies them behind themselves under free headings", () => {
    const copied = reduce(state, { type: "copyColumns", ids: ["c1"] });
    expect(copied.document.columns!.slice(0, 2).map((x) => x.heading)).toEqual(["c1", "c1 2"]);
    expect(ids(reduce(copied, { type: "undo" }))).toEqual(["c1", "c2", "c3", "c4"]);
  });
});

describe("questions that nothing compares with any longer", () => {
  const ask = { name: "rate", label: "Which rate?", kind: "number" as const };
  const asking = (more: Partial<Document>) => withoutLooseAsks(document({ asks: [ask], ...more })).asks;

  it("go, unless a formula, a check or the file's name uses them", () => {
    expect(asking({})).toBeUndefined();
    expect(
      asking({ columns: [{ id: "x", heading: "X", value: { formula: "{price} * {ask.rate}" } }] }),
    ).toEqual([ask]);
    expect(asking({ checks: [{ formula: "{price} < {ask.rate}", severity: "note" }] as never })).toEqual([
      ask,
    ]);
    expect(asking({ output: { name: "lines_{ask.rate}" } })).toEqual([ask]);
    expect(asking({ output: { name: "lines_{ask.rates}" } })).toBeUndefined();
  });
});
