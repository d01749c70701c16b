import { describe, expect, it } from "vitest";
import type { FieldInfo } from "../api";
import { answered, askEachTime, askKind, askNoLonger, canAsk, changeAsked, withoutLooseAsks } from "./asks";
import { nodeAt } from "./filter";
import type { Condition, Document } from "./types";

const field = (label: string, kind: string) => ({ label, kind }) as FieldInfo;
const WARD = { path: "ward.name", is: "one_of", values: ["Quay", "Salter"] } as Condition;
const PLANTED = {
  path: "planted_on",
  is: "in_window",
  window: { type: "last", count: 30, unit: "day" },
} as Condition;
const document = (...all: unknown[]) =>
  ({ name: "T", records: "tree", columns: [], filter: { all } }) as unknown as Document;
const at = (found: Document, n: number) => nodeAt(found, `filter.all[${n}]`) as Condition;

describe("what a narrowing asks", () => {
  it("is a question of the kind that it compares with", () => {
    expect(askKind("in_window", field("Planted on", "date"))).toBe("window");
    expect(askKind("one_of", field("Ward", "text"))).toBe("choices");
    expect(askKind("is", field("Native", "boolean"))).toBe("yes_no");
    expect(askKind("at_least", field("Girth", "decimal"))).toBe("number");
    expect(askKind("before", field("Seen at", "moment"))).toBe("date");
    expect(askKind("contains", undefined)).toBe("text");
  });

  it("is asked of one value, a list or a window, and of nothing else", () => {
    expect(["is", "one_of", "in_window", "contains"].every(canAsk)).toBe(true);
    expect(["blank", "yes", "between"].some(canAsk)).toBe(false);
  });
});

describe("a question", () => {
  it("keeps what stood there as the first answer offered", () => {
    const found = askEachTime(document(WARD), "filter.all[0]", field("Ward name", "text"));
    expect(found.asks).toEqual([
      { name: "ward_name", label: "Which ward name?", kind: "choices", default: ["Quay", "Salter"] },
    ]);
    expect(at(found, 0)).toEqual({ path: "ward.name", is: "one_of", ask: "ward_name" });
    expect(answered(found, at(found, 0)).values).toEqual(["Quay", "Salter"]);
  });

  it("has a name of its own, also where labels are alike or hold no plain letter", () => {
    const once = askEachTime(document(WARD, WARD, WARD), "filter.all[0]", field("Ward", "text"));
    const twice = askEachTime(once, "filter.all[1]", field("Ward", "text"));
    const thrice = askEachTime(twice, "filter.all[2]", field("Район", "text"));
    expect(thrice.asks?.map((a) => a.name)).toEqual(["ward", "ward_2", "answer"]);
  });

  it("asks which days where it is about a window", () => {
    const found = askEachTime(document(PLANTED), "filter.all[0]", field("Planted on", "date"));
    expect(found.asks?.[0]).toMatchObject({ label: "Planted on: which days?", kind: "window" });
  });

  it("follows another comparison with its kind and its first answer", () => {
    const found = askEachTime(document(WARD), "filter.all[0]", field("Ward", "text"));
    const changed = { path: "ward.name", is: "contains", value: "Qu" } as Condition;
    const moved = changeAsked(found, "filter.all[0]", changed, field("Ward", "text"));
    expect(at(moved, 0)).toEqual({ path: "ward.name", is: "contains", ask: "ward" });
    expect(moved.asks?.[0]).toMatchObject({ kind: "text", default: "Qu" });
  });

  it("that is asked no longer leaves its first answer, and goes", () => {
    const found = askEachTime(document(WARD), "filter.all[0]", field("Ward", "text"));
    const settled = askNoLonger(found, "filter.all[0]");
    expect(at(settled, 0)).toEqual(WARD);
    expect(settled.asks).toBeUndefined();
  });

  it("stays while a formula or the name of the file uses it", () => {
    const ask = { name: "ward", label: "Ward?", kind: "text" };
    const used = { ...document(), asks: [ask], output: { name: "trees_{ask.ward}" } } as unknown as Document;
    const other = { ...document(), asks: [ask], output: { name: "{ask.wardrobe}" } } as unknown as Document;
    expect(withoutLooseAsks(used).asks).toEqual([ask]);
    expect(withoutLooseAsks(other).asks).toBeUndefined();
  });
});
