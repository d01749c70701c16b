import { describe, expect, it } from "vitest";
import type { AskedPart } from "../api";
import { piecesOf, unsaid } from "./pieces";

const part = (start: number, end: number, role = "narrowing", words = "w"): AskedPart =>
  ({ start, end, role, words, place: "", doubt: "" }) as AskedPart;

describe("a request in pieces", () => {
  it("keeps every character, in its order", () => {
    const text = "standing trees with purple leaves";
    const found = { parts: [part(9, 14), part(0, 8)], unread: [{ start: 20, end: 26 }] };
    const pieces = piecesOf(text, found);
    expect(pieces.map((p) => p.text).join("")).toBe(text);
    expect(pieces.filter((p) => p.part).map((p) => p.text)).toEqual(["standing", "trees"]);
    expect(pieces.filter((p) => p.unread).map((p) => p.text)).toEqual(["purple"]);
  });

  it("gives words that two parts share to the first", () => {
    const pieces = piecesOf("trees planted in May", { parts: [part(0, 20), part(0, 5)], unread: [] });
    expect(pieces).toHaveLength(1);
  });

  it("says what was put in though nobody said it, columns in one line", () => {
    const parts = [
      part(0, 5, "records"),
      part(0, 0, "narrowing", "deleted at is blank"),
      part(0, 0, "column", "column Tag"),
      part(0, 0, "column", "column Girth"),
    ];
    expect(unsaid(parts)).toEqual(["deleted at is blank", "columns Tag, Girth"]);
    expect(unsaid([part(0, 5, "records")])).toEqual([]);
  });
});
