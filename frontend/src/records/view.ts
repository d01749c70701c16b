import type { RecordTypeFields } from "../api";
import { screenLocale } from "../shared";
import type { Column, Document, Narrowing } from "../bench/types";

/** What is looked at: a document whose columns, filter and order are the view. */
export function everydayView(type: RecordTypeFields): Document {
  const own = type.groups[0]?.fields ?? [];
  const chosen = own.filter((f) => f.everyday && !f.personal).slice(0, 7);
  // The places a person would look for, such as the ward: titles of the records it leads to.
  const others = type.groups
    .slice(1)
    .flatMap((g) =>
      g.fields
        .filter((f) => f.everyday && !f.personal && /^(name|label)$/i.test(f.label))
        .map((f) => ({ f, g })),
    )
    .slice(0, 2);
  const columns: Column[] = [
    ...chosen.map((f) => ({
      heading: f.unit ? `${f.label} (${f.unit})` : f.label,
      value: { field: f.path },
    })),
    ...others.map(({ f, g }) => ({ heading: g.label.split(" › ").at(-1)!, value: { field: f.path } })),
  ].map((c, n) => ({ id: `c${n + 1}`, ...c }));
  return {
    format: "bouquet-template/1",
    name: type.record_type.plural,
    records: type.record_type.name,
    columns,
    filter: { all: type.proposed as unknown as Narrowing[] },
  };
}

/** The view with a text to be found in any of its text columns. */
export function searched(view: Document, type: RecordTypeFields | undefined, text: string): Document {
  const wanted = text.trim();
  if (!wanted || !type) return view;
  const shown = new Set((view.columns ?? []).flatMap((c) => ("field" in c.value ? [c.value.field] : [])));
  const fields = type.groups
    .flatMap((g) => g.fields)
    .filter(
      (f) => (shown.has(f.path) || f.path === type.record_type.title) && f.operators.includes("contains"),
    );
  const any: Narrowing[] = fields.map((f) => ({ path: f.path, is: "contains", value: wanted }));
  const choices = type.groups
    .flatMap((g) => g.fields)
    .filter((f) => shown.has(f.path) && f.choices.length > 0);
  for (const f of choices) {
    const codes = f.choices
      .filter((c) => c.label.toLowerCase().includes(wanted.toLowerCase()))
      .map((c) => c.code);
    if (codes.length) any.push({ path: f.path, is: "one_of", values: codes });
  }
  if (any.length === 0) return view;
  const root = view.filter && "all" in view.filter ? view.filter.all : view.filter ? [view.filter] : [];
  return { ...view, filter: { all: [...root, any.length === 1 ? any[0]! : { any }] } };
}

/** The document as it is looked at: dates and numbers as people write them, numbers that count nothing ungrouped. */
export function onScreen(document: Document, type: RecordTypeFields | undefined): Record<string, never> {
  const fields = new Map((type?.groups ?? []).flatMap((g) => g.fields.map((f) => [f.path, f] as const)));
  const columns = document.columns?.map((column) => {
    const field =
      "field" in column.value ? fields.get(column.value.field.split(".").slice(-1)[0]!) : undefined;
    const named = "field" in column.value ? (fields.get(column.value.field) ?? field) : undefined;
    const bare = named?.kind === "integer" && !named.unit;
    return bare ? { ...column, show: { grouping: "" as const, ...column.show } } : column;
  });
  return { ...document, columns, output: { style: "reader", locale: screenLocale() } } as unknown as Record<
    string,
    never
  >;
}
