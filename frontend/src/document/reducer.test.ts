import type { Condition, Document } from "./types";
import { describe, expect, it } from "vitest";
import { nodeAt } from "./filter";
import { EMPTY, reduce } from "./reducer";
import type { Action, BenchState } from "./reducer";

const start: BenchState = {
  ...EMPTY,
  document: {
    format: "bouquet-template/1",
    name: "Trees",
    records: "tree",
    columns: [
      { id: "c1", heading: "Tag", value: { field: "tag" } },
      { id: "c2", heading: "Girth", value: { field: "t_girth" } },
      { id: "c3", heading: "Note", value: { field: "note" } },
    ],
    filter: { all: [{ path: "status", is: "is", value: "S" }] },
    order: [{ column: "c2" }],
  },
};

const run = (...actions: Action[]) => actions.reduce(reduce, start);
const headings = (state: BenchState) => (state.document.columns ?? []).map((c) => c.heading);

describe("columns", () => {
  it("moves a column to a place and keeps the others in order", () => {
    expect(headings(run({ type: "moveColumn", id: "c3", to: 0 }))).toEqual(["Note", "Tag", "Girth"]);
  });

  it("gives a second column of the same name a heading of its own", () => {
    expect(headings(run({ type: "addColumn", field: "tag", heading: "Tag" }))).toContain("Tag 2");
  });

  it("never gives an id twice after a removal", () => {
    const state = run(
      { type: "removeColumns", ids: ["c1"] },
      { type: "addColumn", field: "tag", heading: "Tag" },
      { type: "addColumn", field: "tag", heading: "Tag" },
    );
    const ids = (state.document.columns ?? []).map((c) => c.id);

    expect(new Set(ids).size).toBe(ids.length);
  });

  it("keeps the order of rows when its column is removed", () => {
    expect(run({ type: "removeColumns", ids: ["c2"] }).document.order).toEqual([
      { column: undefined, path: "t_girth" },
    ]);
  });
});

describe("undo", () => {
  it("takes typing into one heading back in one step", () => {
    const state = run(
      { type: "setHeading", id: "c1", heading: "T" },
      { type: "setHeading", id: "c1", heading: "Tr" },
      { type: "undo" },
    );

    expect(headings(state)[0]).toBe("Tag");
  });

  it("redoes what was undone, and forgets it after a new change", () => {
    const removed = run({ type: "removeColumns", ids: ["c1"] }, { type: "undo" }, { type: "redo" });
    expect(headings(removed)).toEqual(["Girth", "Note"]);

    const other = run(
      { type: "removeColumns", ids: ["c1"] },
      { type: "undo" },
      { type: "rename", name: "X" },
    );
    expect(reduce(other, { type: "redo" }).document.name).toBe("X");
  });
});

describe("filter", () => {
  const other: Condition = { path: "note", is: "blank" };

  it("turns a condition with an alternative into a group of both", () => {
    const state = run({ type: "addAlternative", place: "filter.all[0]", node: other });

    expect(state.document.filter).toEqual({
      all: [{ any: [{ path: "status", is: "is", value: "S" }, other] }],
    });
    expect(nodeAt(state.document, "filter.all[0].any[1]")).toEqual(other);
  });

  it("dissolves a group that is left with one part", () => {
    const state = run(
      { type: "addAlternative", place: "filter.all[0]", node: other },
      { type: "setNarrowing", place: "filter.all[0].any[0]", node: null },
    );

    expect(state.document.filter).toEqual({ all: [other] });
  });

  it("removes the last narrowing to leave everything in", () => {
    expect(run({ type: "setNarrowing", place: "filter.all[0]", node: null }).document.filter).toEqual({
      all: [],
    });
  });

  it("finds nodes of a filter that is not a list of all", () => {
    const document: Document = {
      ...start.document,
      filter: { any: [other, { path: "tag", is: "blank" }] },
    };

    expect(nodeAt(document, "filter.any[1]")).toEqual({ path: "tag", is: "blank" });
  });
});

describe("ways out", () => {
  it("puts an edit in its place, leaves the rest alone, and can be undone", () => {
    const fold = { fold: { path: "inspections", how: "count" } };
    const cured = run({ type: "put", place: "columns[1].value", value: fold });
    const opened = reduce(cured, {
      type: "put",
      place: "rows",
      value: { per: "child", path: "inspections" },
    });

    expect(cured.document.columns?.[1]).toEqual({ id: "c2", heading: "Girth", value: fold });
    expect(cured.document.columns?.[0]).toBe(start.document.columns?.[0]);
    expect(opened.document.rows).toEqual({ per: "child", path: "inspections" });
    expect(reduce(reduce(opened, { type: "undo" }), { type: "undo" }).document).toEqual(start.document);
  });
});
