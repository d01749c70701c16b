import { expect, test } from "vitest";
import { asked, withForm } from "./acceptance";

test("what is asked of a column reads as one line", () => {
  expect(asked({ heading: "GIRTH", required: true, least: 1, greatest: 15000 })).toBe(
    "never blank, 1 to 15000",
  );
  expect(asked({ heading: "RISK", one_of: ["L", "M"], longest: 1 })).toBe(
    "one of L, M, at most 1 characters",
  );
  expect(asked({ heading: "REMARKS" })).toBe("");
});

test("options of a CSV go when the file becomes another, and blanks are not kept", () => {
  expect(withForm({ csv: { separator: ";" }, name: "x" }, { format: "xlsx", name: "" })).toEqual({
    format: "xlsx",
  });
  expect(withForm({ csv: { separator: ";" } }, { format: null })).toEqual({ csv: { separator: ";" } });
});
