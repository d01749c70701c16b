import { describe, expect, it } from "vitest";
import { isWhole, toldScope } from "./right";

describe("a right", () => {
  it("is sent without blank values", () => {
    const scope = { source: "", records: "ward", field: "code", values: [" 03", "", "07 "] };
    expect(toldScope(scope)?.values).toEqual(["03", "07"]);
  });

  it("is whole where it limits nothing, or says by what it limits", () => {
    expect(isWhole(null)).toBe(true);
    expect(isWhole({ source: "", personal: { "*": "hidden" } })).toBe(true);
    expect(isWhole({ source: "", records: "ward", field: "", values: ["03"] })).toBe(false);
    expect(isWhole({ source: "", records: "ward", field: "code", values: [" "] })).toBe(false);
    expect(isWhole({ source: "", records: "ward", field: "code", values: ["03"] })).toBe(true);
  });
});
