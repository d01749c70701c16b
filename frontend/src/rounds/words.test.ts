import { describe, expect, it } from "vitest";
import type { RoundInfo } from "../api";
import { setLocale } from "../shared";
import { inZone, otherwise, pausedWords, sentTo } from "./words";

const round = (more: object) =>
  ({
    recipients: [],
    own_part: null,
    folder: "",
    mail_to: [],
    paused_for: "",
    paused_until: null,
    ...more,
  }) as unknown as RoundInfo;

describe("to whom a round sends", () => {
  it("names each recipient with what they want, the folder, and the addresses", () => {
    const recipients = [
      { name: "Ward Desk", only: null },
      { name: "Finance Drop", only: "new" },
    ];
    const found = round({ recipients, folder: "wards", mail_to: ["desk@line.example"] });
    expect(sentTo(found)).toBe("Ward Desk, Finance Drop (what is new to them), wards, desk@line.example");
    expect(otherwise(found)).toBe("the folder wards, desk@line.example");
  });

  it("says by what each gets their own part", () => {
    const found = round({ own_part: { fact: "ward", missing: "hold" } });
    expect(sentTo(found)).toBe("each their own part, by ward");
    expect(otherwise(found)).toBe("each, by ward");
  });

  it("is nobody where nothing is said", () => {
    expect([sentTo(round({})), otherwise(round({}))]).toEqual(["", ""]);
  });
});

describe("a moment on the clock of a zone", () => {
  it("is written as people of the chosen locale write it, whatever the page's language", () => {
    setLocale("en-GB");
    expect(inZone("2026-11-29T13:01:00Z", "Europe/London")).toContain("13:01");
    setLocale("en-US");
    expect(inZone("2026-11-29T13:01:00Z", "Europe/London")).toContain("01:01 PM");
    setLocale("en-GB");
  });
});

describe("a paused round", () => {
  it("says why it paused by itself", () => {
    expect(pausedWords(round({ paused_for: "owner" }))).toBe(" · paused, as who set it was let go");
    expect(pausedWords(round({ paused_for: "source" }))).toBe(" · paused, as the source changed");
  });

  it("says until when somebody paused it, where that is known", () => {
    expect(pausedWords(round({}))).toBe(" · paused");
    expect(pausedWords(round({ paused_until: "2026-12-01T06:00:00Z" }))).toMatch(/ · paused until .+/);
  });
});
