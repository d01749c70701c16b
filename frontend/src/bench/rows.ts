import type { FieldGroup, FieldInfo, ManyWay, RecordTypeFields } from "../api";
import type { Column, Document, RowRule } from "./types";

/** Where a field on the shelf leads, and what it would be in the sheet. */
export interface ShelfField extends FieldInfo {
  /** Set where the field lies at the end of a relation to many, so that it must be folded. */
  many?: boolean;
}

export function ruleOf(document: Document): RowRule {
  return document.rows ?? { per: "record" };
}

/** The relations that the row rule opened, outermost first: `inspections`, `inspections.defects`. */
export function openedPaths(document: Document): string[] {
  const rule = ruleOf(document);
  if (rule.per !== "child") return [];
  const steps = rule.path.split(".");
  return steps.map((_, n) => steps.slice(0, n + 1).join("."));
}

/** The groups of fields that a row leads to: the opened records first, then the records above them. */
export function groupsOf(
  start: RecordTypeFields | undefined,
  opened: Map<string, RecordTypeFields | undefined>,
): FieldGroup[] {
  if (!start) return [];
  const own = start.groups.map((g) => ({
    ...g,
    note: opened.size ? "repeats on each row" : g.path ? g.note : "one row each",
  }));
  const inner = [...opened]
    .reverse()
    .flatMap(([path, type], n) =>
      type
        ? prefixed(type, path, start.record_type.name, n === 0 ? "one row each" : "repeats on each row")
        : [],
    );
  return [...inner, ...own];
}

function prefixed(type: RecordTypeFields, path: string, above: string, note: string): FieldGroup[] {
  const back = type.groups.filter((g) => g.records === above).map((g) => g.path);
  return type.groups
    .filter((g) => !back.some((b) => g.path === b || g.path.startsWith(`${b}.`)))
    .map((g) => ({
      ...g,
      path: g.path ? `${path}.${g.path}` : path,
      label: g.path ? `${sentence(type.record_type.label)} › ${g.label}` : sentence(type.record_type.label),
      note: g.path ? "repeats where shared" : note,
      fields: g.fields.map((f) => ({ ...f, path: `${path}.${f.path}` })),
    }));
}

/** The ways to many that can be folded: not those the row rule has opened. */
export function waysOf(document: Document, start: RecordTypeFields | undefined): ManyWay[] {
  const opened = openedPaths(document);
  return (start?.many ?? []).filter((w) => !opened.includes(w.path));
}

/** The fold a person most likely wants of a field of many records, and its heading. */
export function firstFold(
  field: FieldInfo | null,
  path: string,
  plural: string,
): { value: Column["value"]; heading: string } {
  if (!field) return { value: { fold: { path, how: "count" } }, heading: `Number of ${plural}` };
  const how =
    field.kind === "integer" || field.kind === "decimal"
      ? "sum"
      : ["date", "timestamp", "moment"].includes(field.kind)
        ? "greatest"
        : field.kind === "boolean"
          ? "any"
          : "joined";
  const words: Record<string, string> = { sum: "Sum of ", greatest: "Latest ", any: "Any " };
  const label = field.unit ? `${field.label} (${field.unit})` : field.label;
  const name =
    how === "joined"
      ? `${sentence(plural)}: ${lower(label)}`
      : `${words[how] ?? ""}${lower(label)} of ${plural}`;
  return { value: { fold: { path, how } }, heading: name };
}

/** The value a field brings into a grouped sheet: one of the group's values, or a fold of the group's records. */
export function groupedValue(
  document: Document,
  field: FieldInfo,
): { value: Column["value"]; heading: string } {
  const rule = ruleOf(document);
  if (rule.per === "group" && rule.by.some((b) => b.path === field.path))
    return { value: { field: field.path }, heading: field.label };
  const number = field.kind === "integer" || field.kind === "decimal";
  const dated = ["date", "timestamp", "moment"].includes(field.kind);
  const how = number ? "sum" : dated ? "greatest" : "count_distinct";
  const words = { sum: "Sum of", greatest: "Latest", count_distinct: "Different" }[how];
  return { value: { fold: { path: field.path, how } }, heading: `${words} ${lower(field.label)}` };
}

/** The document under another row rule. Columns of groups that no longer stand are folded, opened paths brought along. */
export function underRule(
  document: Document,
  rule: RowRule,
  fieldOf: (path: string) => FieldInfo | undefined,
): Document {
  const rows = rule.per === "record" ? undefined : rule;
  const next: Document = { ...document, rows };
  const opened = openedPaths(next);
  const before = openedPaths(document);
  const isMany = (path: string, paths: string[]) => paths.some((p) => path === p || path.startsWith(`${p}.`));
  const columns = (document.columns ?? []).map((column): Column => {
    if ("field" in column.value) {
      const path = column.value.field;
      const field = fieldOf(path);
      if (isMany(path, before) && !isMany(path, opened))
        return { ...column, value: { fold: foldOf(field, path) }, show: undefined };
      if (rule.per === "group" && field && !rule.by.some((b) => b.path === path))
        return { ...column, value: groupedValue(next, field).value };
    }
    if ("fold" in column.value && rule.per === "child") {
      const { path = "", how } = column.value.fold;
      const one =
        path &&
        isMany(path, opened) &&
        how !== "count" &&
        path.split(".").length > opened.at(-1)!.split(".").length;
      if (one) return { ...column, value: { field: path } };
    }
    return column;
  });
  const lost = (path: string) => isMany(path, before) && !isMany(path, opened);
  const narrowed = before.length && !opened.length ? foldFilter(document, before.at(-1)!, columns) : null;
  const order = (document.order ?? []).filter((o) => !(o.path && lost(o.path)));
  return {
    ...next,
    columns: narrowed?.columns ?? columns,
    ...(narrowed ? { filter: narrowed.filter } : {}),
    ...(document.order ? { order } : {}),
  };
}

function foldOf(field: FieldInfo | undefined, path: string) {
  const made = firstFold(field ?? null, path, "").value;
  return field && "fold" in made ? made.fold : { path, how: "joined" };
}

/**
 * Narrowings of children, where the children no longer are rows: they become conditions of the folds that gather these
 * children, so that the cells hold what the rows held.
 */
function foldFilter(document: Document, opened: string, columns: Column[]) {
  const root =
    document.filter && "all" in document.filter
      ? document.filter.all
      : document.filter
        ? [document.filter]
        : [];
  const ofChild = (n: unknown): boolean =>
    typeof n === "object" &&
    n !== null &&
    "path" in n &&
    String((n as { path: string }).path).startsWith(`${opened}.`);
  const moved = root
    .filter(ofChild)
    .map((n) => ({ ...n, path: (n as { path: string }).path.slice(opened.length + 1) }));
  const where = moved.length === 0 ? undefined : moved.length === 1 ? moved[0] : { all: moved };
  return {
    filter: { all: root.filter((n) => !ofChild(n)) },
    columns: columns.map((c) =>
      where && "fold" in c.value && (c.value.fold.path ?? "").startsWith(opened)
        ? { ...c, value: { fold: { ...c.value.fold, where: c.value.fold.where ?? where } } }
        : c,
    ) as Column[],
  };
}

export function sentence(text: string): string {
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}

export function lower(text: string): string {
  return /^.[A-Z]/.test(text) ? text : text.slice(0, 1).toLowerCase() + text.slice(1);
}
