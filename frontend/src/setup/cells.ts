import type { CatalogueEdit, CuratedField } from "../api";

/** Columns of the sheet of fields that hold a text. */
export type TextColumn = "label" | "unit" | "meaning" | "part_of";

/**
 * The edits that pasted lines come to: from one field on, a line a field; further lines are dropped, and what is the
 * same already is left alone.
 */
export function pasted(
  table: string,
  fields: CuratedField[],
  from: number,
  column: TextColumn,
  text: string,
): CatalogueEdit[] {
  const lines = text.replace(/\r?\n$/, "").split(/\r?\n/);
  return lines.slice(0, fields.length - from).flatMap((line, n) => {
    const field = fields[from + n]!;
    const value = line.split("\t")[0]!.trim();
    if (value === field[column] || (column === "label" && value === "")) return [];
    return [editOf(table, field, { [column]: value })];
  });
}

/** An edit of one field. */
export function editOf(table: string, field: CuratedField, change: Partial<CatalogueEdit>): CatalogueEdit {
  return { table, field: field.name, keep: false, ...change };
}

/** An edit of a record type as a whole. */
export function tableEdit(table: string, change: Partial<CatalogueEdit>): CatalogueEdit {
  return { table, keep: false, ...change };
}
