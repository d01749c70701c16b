import type { FieldInfo, RecordTypeFields } from "../api";
import { capital, screenLocale } from "../shared";
import type { Column, Document, Narrowing } from "../document/types";
import { tr } from "../i18n";

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
    filter: { all: type.proposed },
  };
}

/** The fields that a search looks in: those on screen and the title, or all there are of a record and what it leads to. */
function searchedFields(view: Document, type: RecordTypeFields, everywhere: boolean): FieldInfo[] {
  const shown = new Set((view.columns ?? []).flatMap((c) => ("field" in c.value ? [c.value.field] : [])));
  return type.groups
    .flatMap((group) =>
      group.fields.filter((f) =>
        everywhere ? group.path === "" || f.everyday : shown.has(f.path) || f.path === type.record_type.title,
      ),
    )
    .filter((f) => f.operators.includes("contains") || f.choices.length > 0);
}

/** The fields in which a search looks unless it is told to look in all. */
export function looksIn(view: Document, type: RecordTypeFields): string {
  const labels = searchedFields(view, type, false).map((f) => f.label);
  return labels.length > 4
    ? tr("{{labels}} and {{labels2}} more", {
        labels: labels.slice(0, 3).join(", "),
        labels2: labels.length - 3,
      })
    : labels.join(", ");
}

/** The view with a text to be found in any of its text columns, or in all fields. */
export function searched(
  view: Document,
  type: RecordTypeFields | undefined,
  text: string,
  everywhere = false,
): Document {
  const wanted = text.trim();
  if (!wanted || !type) return view;
  const any: Narrowing[] = [];
  const digits = /^\d+$/.test(wanted);
  for (const f of searchedFields(view, type, everywhere)) {
    if (f.choices.length === 0 && (digits || !f.whole))
      any.push({ path: f.path, is: "contains", value: wanted });
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
export function onScreen(document: Document, type: RecordTypeFields | undefined): Document {
  const fields = new Map((type?.groups ?? []).flatMap((g) => g.fields.map((f) => [f.path, f] as const)));
  const columns = document.columns?.map((column) => {
    const field =
      "field" in column.value ? fields.get(column.value.field.split(".").slice(-1)[0]!) : undefined;
    const named = "field" in column.value ? (fields.get(column.value.field) ?? field) : undefined;
    const bare = named?.kind === "integer" && !named.unit;
    return bare ? { ...column, show: { grouping: "" as const, ...column.show } } : column;
  });
  return { ...document, columns, output: { style: "reader", locale: screenLocale() } };
}

/** The view that the address holds, when it is one of this record type. */
export function keptView(type: RecordTypeFields, text: string | null): Document | null {
  if (!text) return null;
  try {
    const [columns, filter, order] = JSON.parse(text) as [
      Document["columns"],
      Document["filter"],
      Document["order"],
    ];
    return {
      ...everydayView(type),
      columns: columns ?? [],
      filter: filter ?? undefined,
      order: order ?? undefined,
    };
  } catch {
    return null;
  }
}

/** The template's sentence as Records say it: “Trees where…” instead of “One row per tree”; without the limit. */
export function plainSentence<T extends { text: string; role: string; place: string; note: string }>(
  parts: T[],
  type: RecordTypeFields,
): T[] {
  const from = parts.findIndex((p) => p.role === "records") + 1;
  const to = parts.findIndex((p) => p.role === "limit");
  if (from === 0) return [];
  const rest = parts.slice(from, to < 0 ? undefined : to - 1);
  return [
    { ...parts[0]!, text: capital(type.record_type.plural), role: "text", place: "", note: "" },
    ...rest,
    { ...parts[0]!, text: " ", role: "text" },
  ];
}

/** A name that says the purpose of what is seen: “Trees of Quay, standing”. */
export function proposedName(view: Document, type: RecordTypeFields, text: string): string {
  const fields = new Map(type.groups.flatMap((g) => g.fields.map((f) => [f.path, f] as const)));
  const usual = new Set(type.proposed.map((node) => JSON.stringify(node)));
  const root = view.filter && "all" in view.filter ? view.filter.all : view.filter ? [view.filter] : [];
  const whose: string[] = [];
  const how: string[] = [];
  for (const node of root) {
    if (usual.has(JSON.stringify(node))) continue;
    if ("picks" in node) whose.push(`“${node.picks}”`);
    if (!("is" in node) || !["is", "one_of", "yes", "no"].includes(node.is)) continue;
    const field = fields.get(node.path ?? "");
    if (!field) continue;
    if (node.is === "yes" || node.is === "no") {
      how.push(`${node.is === "no" ? tr("not ") : ""}${field.label.toLowerCase()}`);
      continue;
    }
    const values = (node.values ?? [node.value ?? ""]).map(String);
    const labels = values.map((v) => field.choices.find((c) => c.code === v)?.label ?? v).filter(Boolean);
    const said =
      labels.length > 3
        ? tr("{{labels}} and others", { labels: labels.slice(0, 2).join(", ") })
        : labels.join(tr(" and "));
    if (said) (field.choices.length ? how : whose).push(field.choices.length ? said.toLowerCase() : said);
  }
  if (text.trim()) how.push(`“${text.trim()}”`);
  const records = capital(type.record_type.plural);
  return [`${records}${whose.length ? tr(" of {{whose}}", { whose: whose.join(", ") }) : ""}`, ...how]
    .join(", ")
    .slice(0, 100);
}
