import type { FieldInfo, SentencePart } from "../api";
import { isCondition, nodeAt } from "./filter";
import type { Condition, Document } from "./types";
import { tr } from "../i18n";

/** The chip of the row rule, by what a row stands for. */
export const RULE_CHIPS = { record: "records records", child: "rows rows", group: "rows rows.by[0]" };

/** Whether a place is another, or lies inside it. */
export function within(place: string, other: string): boolean {
  return other !== "" && place.startsWith(other) && /^(\.|\[|$)/.test(place.slice(other.length));
}

/** The narrowing that a part of the sentence belongs to: of a "has", the whole of it. */
export function placeOf(part: SentencePart): string {
  return part.place.split(".where")[0]!;
}

/** Whether there is an editor for a part of the sentence. */
export function canEdit(part: SentencePart, document: Document): boolean {
  if (["records", "rows", "limit", "order", "split"].includes(part.role)) return true;
  if (!["field", "value", "formula"].includes(part.role) || !part.place.startsWith("filter")) return false;
  return nodeAt(document, placeOf(part)) !== undefined;
}

/** What the editor of a part of the sentence is headed by. */
export function titleOf(
  part: SentencePart,
  document: Document,
  fieldOf: (node: Condition) => FieldInfo | undefined,
): string {
  if (part.role === "records" || part.role === "rows") return tr("One row per what?");
  if (part.role === "limit") return tr("How many rows, and which?");
  if (part.role === "order") return tr("In which order?");
  if (part.role === "split") return tr("One file, or several?");
  const node = nodeAt(document, placeOf(part));
  if (!node || !isCondition(node)) return tr("Only records where…");
  const field = fieldOf(node);
  return field
    ? node.is === "in_window"
      ? tr("{{label}}: which days?", { label: field.label })
      : field.label
    : (node.path ?? "");
}
