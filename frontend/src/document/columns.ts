import type { FieldInfo, SheetColumn } from "../api";
import type { Condition, Document } from "./types";

/** What is said of a field, of something that is none: formats and comparisons are offered by the kind of its values. */
const NO_FIELD = {
  path: "",
  label: "",
  column: "",
  meaning: "",
  unit: "",
  everyday: false,
  personal: false,
  retired: null,
  substitute: null,
  part_of: "",
  uses: 0,
  synonyms: [],
  choices: [],
  operators: [],
  example: null,
  fill: null,
  exact: false,
  whole: false,
  guesses: [],
} satisfies Omit<FieldInfo, "kind">;

/** A column of the sheet as if it were a field; its path is the column's id. */
export function fieldOfColumn(info: SheetColumn): FieldInfo {
  return { ...NO_FIELD, path: info.id, label: info.heading, kind: info.kind, operators: info.operators };
}

/** The columns that are results, by which rows can be narrowed, as fields. */
export function computedColumns(document: Document, sheet: SheetColumn[]): FieldInfo[] {
  const made = new Set(
    (document.columns ?? []).filter((c) => "formula" in c.value || "fold" in c.value).map((c) => c.id),
  );
  return sheet.filter((c) => made.has(c.id) && c.operators.length > 0).map(fieldOfColumn);
}

/** The condition, of a column instead of a field. */
export function onColumn(condition: Condition, column: string): Condition {
  const { path: _path, ...rest } = condition;
  void _path;
  return { ...rest, column } as Condition;
}
