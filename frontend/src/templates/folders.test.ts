import { describe, expect, it } from "vitest";
import { foldersOf, indented, isWithin } from "./folders";

describe("labels as folders", () => {
  it("come with the folders that they lie in, each behind the one it is in", () => {
    expect(foldersOf(["Wards/Quay", "Billing", "Wards/Quay/Spring", "Ward desk"])).toEqual([
      "Billing",
      "Ward desk",
      "Wards",
      "Wards/Quay",
      "Wards/Quay/Spring",
    ]);
  });

  it("hold what lies within them, and nothing that only begins alike", () => {
    expect(isWithin("Wards/Quay", "Wards")).toBe(true);
    expect(isWithin("Wards", "Wards")).toBe(true);
    expect(isWithin("Wards of the north", "Wards")).toBe(false);
  });

  it("are shown by their own names", () => {
    expect(indented("Wards/Quay")).toBe("\u2003Quay");
  });
});
