import type { Column } from "./types";

export type Severity = "note" | "hold" | "stop";

/** A check as it stands in the document: of a column, of a row, or of the file. */
export type Check =
  | {
      column: string;
      must: ColumnMust;
      least?: string | number | null;
      greatest?: string | number | null;
      pattern?: string | null;
      values?: (string | number)[] | null;
      listed_in?: string | null;
      spread?: string | number;
      severity?: Severity;
    }
  | { formula: string; say?: string; severity?: Severity }
  | {
      file: FileMust;
      column?: string | null;
      least?: string | null;
      greatest?: string | null;
      percent?: string | null;
      runs?: number;
      headings?: string[] | null;
      severity?: Severity;
    };

export type ColumnMust =
  | "filled"
  | "whole"
  | "between"
  | "matches"
  | "one_of"
  | "unique"
  | "length"
  | "not_future"
  | "not_past"
  | "listed"
  | "near_usual";

export type FileMust = "rows" | "usual" | "not_empty" | "total" | "headings" | "full";

type Kind = "number" | "date" | "text" | "any";

/** What a column can be asked to be, for which kinds of values, in words. */
export const COLUMN_CHECKS: [ColumnMust, Kind[], string][] = [
  ["filled", ["any"], "must be filled"],
  ["unique", ["any"], "must not occur twice"],
  ["between", ["number", "date"], "must lie between"],
  ["whole", ["number"], "must be a whole number"],
  ["near_usual", ["number"], "must not lie far from the usual"],
  ["one_of", ["any"], "must be one of"],
  ["matches", ["text"], "must look like a pattern"],
  ["length", ["text"], "must have a length of"],
  ["listed", ["text", "number"], "must be in a saved list"],
  ["not_future", ["date"], "must not lie in the future"],
  ["not_past", ["date"], "must not lie in the past"],
];

export const FILE_CHECKS: [FileMust, string][] = [
  ["not_empty", "must not be empty"],
  ["rows", "must have a number of rows"],
  ["usual", "must have about as many rows as usual"],
  ["total", "must have a column’s total within bounds"],
  ["full", "must have a column so full"],
  ["headings", "must have these headings, in this order"],
];

export const SEVERITY_WORDS: Record<Severity, string> = {
  note: "note it in the slip",
  hold: "hold the file until somebody looks",
  stop: "stop; nothing is made available",
};

const KINDS: Record<string, Kind> = {
  integer: "number",
  decimal: "number",
  date: "date",
  timestamp: "date",
  moment: "date",
  text: "text",
  identifier: "text",
  other: "text",
};

/** The checks that a column of this kind of value can have. */
export function checksFor(kind: string): [ColumnMust, string][] {
  const own = KINDS[kind] ?? "any";
  return COLUMN_CHECKS.filter(([, kinds]) => kinds.includes("any") || kinds.includes(own)).map(
    ([must, , words]) => [must, words],
  );
}

/** A first form of a check, to be filled in. */
export function newCheck(what: string, columns: Column[]): Check {
  if (what === "row") return { formula: "", severity: "note" };
  if (what === "file") return { file: "not_empty", severity: "hold" };
  return { column: what || (columns[0]?.id ?? ""), must: "filled", severity: "note" };
}

/** Without what belongs to another kind of check. */
export function tidied(check: Check): Check {
  const { severity = "note" } = check;
  if ("formula" in check)
    return { formula: check.formula, ...(check.say ? { say: check.say } : {}), severity };
  const bounds = {
    ...(check.least != null && check.least !== "" ? { least: check.least } : {}),
    ...(check.greatest != null && check.greatest !== "" ? { greatest: check.greatest } : {}),
  };
  if ("file" in check) {
    const column = ["total", "full"].includes(check.file) ? { column: check.column } : {};
    const own = ["rows", "total"].includes(check.file)
      ? (bounds as { least?: string; greatest?: string })
      : ["usual", "full"].includes(check.file)
        ? { percent: check.percent, ...(check.file === "usual" && check.runs ? { runs: check.runs } : {}) }
        : check.file === "headings"
          ? { headings: check.headings }
          : {};
    return { file: check.file, ...column, ...own, severity };
  }
  const own =
    check.must === "between" || check.must === "length"
      ? bounds
      : check.must === "matches"
        ? { pattern: check.pattern }
        : check.must === "one_of"
          ? { values: check.values }
          : check.must === "listed"
            ? { listed_in: check.listed_in }
            : check.must === "near_usual" && check.spread
              ? { spread: check.spread }
              : {};
  return { column: check.column, must: check.must, ...own, severity };
}
