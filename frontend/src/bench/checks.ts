import type { Vocabulary } from "../api";
import { vocabulary } from "../shared";
import type { Column, Document } from "../document/types";

type Asking = Vocabulary["column_checks"][number];

/** A check as it stands in the document: of a column, of a row, or of the file. */
export type Check = NonNullable<Document["checks"]>[number];
export type Severity = NonNullable<Check["severity"]>;

/** The checks that a column of this kind of value can have; all of them where it is not known. */
export function checksFor(kind: string): Asking[] {
  return vocabulary().column_checks.filter((c) => !kind || c.kinds.some((k) => k === kind));
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
  const lists = vocabulary();
  const must = "file" in check ? { file: check.file } : { column: check.column, must: check.must };
  const asking =
    "file" in check
      ? lists.file_checks.find((c) => c.name === check.file)
      : lists.column_checks.find((c) => c.name === check.must);
  const own = Object.entries(check).filter(
    ([part, value]) => asking?.takes.includes(part) && value !== "" && value != null,
  );
  return { ...must, ...Object.fromEntries(own), severity } as Check;
}
