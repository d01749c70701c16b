import { expect, test } from "vitest";
import { fieldsOf, filled } from "./schema";

test("a schema becomes fields with labels, choices and what they start with", () => {
  const fields = fieldsOf({
    properties: {
      host: { anyOf: [{ type: "string" }, { type: "null" }], title: "Mail server" },
      port: { type: "integer", default: 587 },
      to: { type: "array" },
      mode: { enum: ["new", "replace"], default: "new" },
    },
    required: ["to"],
  });
  expect(fields.map((f) => [f.label, f.kind, f.required])).toEqual([
    ["Mail server", "text", false],
    ["port", "integer", false],
    ["to", "list", true],
    ["mode", "text", false],
  ]);
  expect(fields[3]!.choices).toEqual(["new", "replace"]);
});

test("what is blank is not sent, and lists lose what nobody typed", () => {
  expect(filled({ folder: "", port: 22, to: ["a@b.example", " "], off: false })).toEqual({
    port: 22,
    to: ["a@b.example"],
    off: false,
  });
});
