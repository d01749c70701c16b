import { describe, expect, it } from "vitest";
import { partWords, patternOf, piecesOf } from "./fileName";
import type { Document } from "../document/types";

const DOCUMENT: Document = {
  format: "bouquet-template/1",
  name: "T",
  records: "tree",
  asks: [{ name: "wards", label: "Which wards?", kind: "choices" }],
  output: { split: { by: "ward.code" } },
};

describe("the name of a file in words", () => {
  it("is its parts and the letters between them, and is put together again", () => {
    for (const pattern of ["{template}_{as_of:%Y}", "plain", "", "a{rows}{part}b"]) {
      expect(patternOf(piecesOf(pattern))).toBe(pattern);
    }
    expect(piecesOf("a_{rows}").map((p) => p.part)).toEqual([false, true, false]);
  });

  it("says each part as a clerk would, dates by an example", () => {
    const said = (part: string) => partWords(part, DOCUMENT);
    expect(said("{as_of:%Y-%m-%d}")).toBe("date of the run, as 2026-11-23");
    expect(said("{window_end:%d %B %Y}")).toBe("last day of the period, as 23 November 2026");
    expect(said("{ask.wards}")).toBe("answer to “Which wards?”");
    expect(said("{value:ward.code}")).toBe("value that the part is of");
    expect(said("{odd}")).toBe("odd");
  });
});
