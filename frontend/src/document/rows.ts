import type { FieldGroup, FieldInfo, ManyWay, RecordTypeFields } from "../api";
import { capital } from "../shared";
import { isCondition, rootOf } from "./filter";
import type { Column, Condition, Document, Fold, Narrowing, RowRule } from "./types";
import { tr } from "../i18n";

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
    note: opened.size ? tr("repeats on each row") : g.path ? g.note : tr("one row each"),
  }));
  const inner = [...opened]
    .reverse()
    .flatMap(([path, type], n) =>
      type
        ? prefixed(
            type,
            path,
            start.record_type.name,
            n === 0 ? tr("one row each") : tr("repeats on each row"),
          )
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
      label: g.path ? `${capital(type.record_type.label)} › ${g.label}` : capital(type.record_type.label),
      note: g.path ? tr("repeats where shared") : note,
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
  unknown: Fold["how"] = "count",
): { value: Column["value"]; heading: string } {
  if (!field)
    return { value: { fold: { path, how: unknown } }, heading: tr("Number of {{plural}}", { plural }) };
  const how =
    field.kind === "integer" || field.kind === "decimal"
      ? "sum"
      : ["date", "timestamp", "moment"].includes(field.kind)
        ? "greatest"
        : field.kind === "boolean"
          ? "any"
          : "joined";
  const words: Record<string, string> = { sum: tr("Sum of "), greatest: tr("Latest "), any: tr("Any ") };
  const label = field.unit ? `${field.label} (${field.unit})` : field.label;
  const name =
    how === "joined"
      ? `${capital(plural)}: ${lower(label)}`
      : tr("{{words}}{{label}} of {{plural}}", { words: words[how] ?? "", label: lower(label), plural });
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
  const words = { sum: tr("Sum of"), greatest: tr("Latest"), count_distinct: tr("Different") }[how];
  return { value: { fold: { path: field.path, how } }, heading: `${words} ${lower(field.label)}` };
}

/**
 * The document under another row rule, its cells and narrowings brought along.
 *
 * Fields of children that are no rows any more are folded, and the children's narrowings go into these folds; where
 * records without a child that passed were left out, they still are. Columns of a group become folds, and fields again when
 * rows are no groups any more. A heading that the field brought along follows what the cell now holds.
 */
export function underRule(
  document: Document,
  rule: RowRule,
  fieldOf: (path: string) => FieldInfo | undefined,
  ways: ManyWay[],
): Document {
  const next: Document = { ...document, rows: rule.per === "record" ? undefined : rule };
  const was = ruleOf(document);
  const opened = openedPaths(next);
  const gone = openedPaths(document).filter((p) => !opened.includes(p));
  const goneOf = (path: string) => gone.findLast((p) => path === p || path.startsWith(`${p}.`));
  const changed = (column: Column): Column => {
    if ("field" in column.value) {
      const path = column.value.field;
      const field = fieldOf(path);
      const from = goneOf(path);
      if (from) {
        const plural = ways.find((w) => w.path === from)?.plural ?? from;
        return asMade(column, field, firstFold(field ?? null, path, plural, "joined"));
      }
      if (rule.per === "group" && field && !rule.by.some((b) => b.path === path))
        return asMade(column, field, groupedValue(next, field));
      return column;
    }
    if (!("fold" in column.value)) return column;
    const { path = "", how } = column.value.fold;
    const field = fieldOf(path);
    if (was.per === "group" && rule.per !== "group" && field)
      return asField(column, path, groupedValue(document, field).heading, field);
    const inside = opened.at(-1);
    if (inside && how !== "count" && path.startsWith(`${inside}.`))
      return { ...column, value: { field: path }, show: undefined };
    return column;
  };
  const order = (document.order ?? []).filter((o) => !(o.path && goneOf(o.path)));
  const moved: Document = {
    ...next,
    columns: (document.columns ?? []).map(changed),
    ...(document.order ? { order } : {}),
  };
  const leftOut = was.per === "child" && was.parents_without !== "keep";
  return gone.reduceRight((d, path) => foldNarrowings(d, path, leftOut), moved);
}

/** The column with another value; its heading follows when it was the one that the field brought along. */
function asMade(
  column: Column,
  field: FieldInfo | undefined,
  made: { value: Column["value"]; heading: string },
): Column {
  const own = !field || column.heading !== fieldHeading(field);
  return { ...column, value: made.value, heading: own ? column.heading : made.heading, show: undefined };
}

function asField(column: Column, path: string, made: string, field: FieldInfo): Column {
  const heading = column.heading === made ? fieldHeading(field) : column.heading;
  return { ...column, heading, value: { field: path }, show: undefined };
}

function fieldHeading(field: FieldInfo): string {
  return field.unit ? `${field.label} (${field.unit})` : field.label;
}

/**
 * The narrowings of children at `path` as conditions of the folds that gather them, so that cells hold what the rows
 * held; and, where records without any were left out, as the narrowing that it has any.
 */
function foldNarrowings(document: Document, path: string, leftOut: boolean): Document {
  const all = rootOf(document).all;
  const ofChild = (n: Narrowing): n is Condition & { path: string } =>
    isCondition(n) && (n.path ?? "").startsWith(`${path}.`);
  const moved = all.filter(ofChild).map((n) => ({ ...n, path: n.path.slice(path.length + 1) }));
  const joined = (parts: Narrowing[]): Narrowing | undefined =>
    parts.length > 1 ? { all: parts } : parts[0];
  const where = joined(moved);
  const has: Narrowing[] = leftOut && where ? [{ path, has: "any", where }] : [];
  return {
    ...document,
    filter: { all: [...all.filter((n) => !ofChild(n)), ...has] },
    columns: (document.columns ?? []).map((column) => {
      if (!where || !("fold" in column.value)) return column;
      const { fold } = column.value;
      if (fold.path !== path && !fold.path?.startsWith(`${path}.`)) return column;
      return {
        ...column,
        value: { fold: { ...fold, where: joined([...(fold.where ? [fold.where] : []), ...moved]) } },
      };
    }),
  };
}

export function lower(text: string): string {
  return /^.[A-Z]/.test(text) ? text : text.slice(0, 1).toLowerCase() + text.slice(1);
}
