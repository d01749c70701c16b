import type { FieldGroup } from "../api";
import { isCondition, rootOf } from "./filter";
import type { Column, Document, Narrowing } from "./types";

/** The path of the field that tells the unit of a row, where the catalogue knows it. */
export function unitOf(groups: FieldGroup[]): string | null {
  const units = groups.filter((g) => g.unit_by && g.fields.some((f) => nameOf(f.path) === g.unit_by));
  const nearest = units.toSorted((x, y) => x.path.split(".").length - y.path.split(".").length)[0];
  return nearest?.fields.find((f) => nameOf(f.path) === nearest.unit_by)?.path ?? null;
}

/** The outermost record that a row belongs to is the likeliest unit: the ward of the site, not the site. */
export function outermost<F extends { path: string }>(fields: F[]): F | undefined {
  return fields.toSorted((x, y) => y.path.split(".").length - x.path.split(".").length)[0];
}

/** The narrowings that every row must meet and that speak of its unit alone: by its name, its code, any field of it. */
export function narrowings(document: Document, unit: string): Narrowing[] {
  const way = unit.slice(0, unit.lastIndexOf(".") + 1);
  return rootOf(document).all.filter(
    (n) =>
      isCondition(n) &&
      "path" in n &&
      typeof n.path === "string" &&
      (n.path === unit || (way !== "" && n.path.startsWith(way) && !n.path.slice(way.length).includes("."))),
  );
}

/** The document without what narrows it to some units, all else as it is, and with the unit as its first column. */
export function widened(document: Document, unit: string, heading: string): Document {
  const gone = new Set(narrowings(document, unit));
  const columns = document.columns ?? [];
  const shown = columns.some((c) => "field" in c.value && c.value.field === unit);
  const taken = new Set(columns.map((c) => c.id));
  const id = ["unit", ...columns.map((_, n) => `unit${n}`)].find((i) => !taken.has(i)) ?? "unit";
  const column = { id, heading, value: { field: unit } } as Column;
  return {
    ...document,
    columns: shown ? columns : [column, ...columns],
    filter: { all: rootOf(document).all.filter((n) => !gone.has(n)) },
  };
}

function nameOf(path: string): string {
  return path.slice(path.lastIndexOf(".") + 1);
}
