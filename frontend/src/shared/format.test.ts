import { describe, expect, it } from "vitest";
import {
  count,
  duration,
  exact,
  plural,
  setLocale,
  shownNumber,
  size,
  typedNumber,
  withUnit,
} from "./format";

describe("numbers on screen", () => {
  it("puts a unit where the language has it", () => {
    setLocale("en-GB");
    expect([
      withUnit("3,603.36", "£"),
      withUnit("12", "cm"),
      withUnit("£5", "£"),
      withUnit("", "cm"),
    ]).toEqual(["£3,603.36", "12\u00a0cm", "£5", ""]);
    setLocale("de-DE");
    expect(withUnit("3.603,36", "€")).toBe("3.603,36\u00a0€");
    setLocale("en-GB");
  });

  it("groups thousands and keeps every digit of an exact decimal", () => {
    expect(exact("-12345678901234567890.0100")).toBe("-12,345,678,901,234,567,890.0100");
    expect(exact("0")).toBe("0");
    expect(count(48210)).toBe("48,210");
  });

  it("says sizes, lengths of time and numbers of things as people do", () => {
    expect([size(1), size(999), size(4200), size(624_000), size(2_500_000)]).toEqual([
      "1 byte",
      "999 bytes",
      "4.2 kB",
      "624 kB",
      "2.5 MB",
    ]);
    expect([duration(0.234), duration(12.6), duration(125)]).toEqual(["0.2 s", "13 s", "2 min 5 s"]);
    expect([plural(1, "row"), plural(2, "row")]).toEqual(["1 row", "2 rows"]);
  });
});

describe("numbers as people type them", () => {
  it("reads the locale's mark and groups, and leaves what is no number as it is", () => {
    setLocale("de-DE");
    expect(["1.234,5", "12,5", "1234", "-0,25", "1.5", "viel"].map(typedNumber)).toEqual([
      "1234.5",
      "12.5",
      "1234",
      "-0.25",
      "1.5",
      "viel",
    ]);
    expect(shownNumber("1234.5")).toBe("1234,5");
    expect([size(4200), duration(0.7)]).toEqual(["4,2 kB", "0,7 s"]);
    setLocale("fr-FR");
    expect(["1 234,5", "1\u202f234,5"].map(typedNumber)).toEqual(["1234.5", "1234.5"]);
    setLocale("en-GB");
    expect(["1,234.5", "12.5", "12,5"].map(typedNumber)).toEqual(["1234.5", "12.5", "12,5"]);
  });
});
