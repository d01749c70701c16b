import type { Answer, FieldInfo } from "../api";
import { takes } from "../shared";
import { nodeAt, replaceNode, subjectOf } from "./filter";
import type { Ask, Condition, Document, Scalar, Window } from "./types";
import { tr } from "../i18n";

/** The kind of question that a comparison of a field asks. */
export function askKind(operator: string, field: FieldInfo | undefined): NonNullable<Ask["kind"]> {
  if (takes(operator) === "window") return "window";
  if (takes(operator) === "list") return "choices";
  if (field?.kind === "boolean") return "yes_no";
  if (field?.kind === "integer" || field?.kind === "decimal") return "number";
  if (field && ["date", "timestamp", "moment"].includes(field.kind)) return "date";
  return "text";
}

/** Comparisons that can be asked about: those with one value, a list, or a window. */
export function canAsk(operator: string): boolean {
  return !["nothing", "range"].includes(takes(operator));
}

export function askOf(document: Document, condition: Condition): Ask | undefined {
  return document.asks?.find((a) => a.name === condition.ask);
}

/** The condition as if it were answered with its ask's default, to be edited like any other. */
export function answered(document: Document, condition: Condition): Condition {
  const ask = askOf(document, condition);
  if (!ask) return condition;
  const { ask: _ask, ...rest } = condition;
  void _ask;
  const given = ask.default;
  if (rest.is === "in_window")
    return { ...rest, window: (given as Window | undefined) ?? { type: "all_time" } };
  if (Array.isArray(given)) return { ...rest, values: given as Scalar[] };
  return given === undefined || given === null ? rest : { ...rest, value: given as Scalar };
}

function answerIn(condition: Condition): Answer | undefined {
  return condition.window ?? condition.values ?? condition.value ?? undefined;
}

/** Leave the condition at `place` open: from now on each run asks, and what stood there is the first answer offered. */
export function askEachTime(document: Document, place: string, field: FieldInfo | undefined): Document {
  const node = nodeAt(document, place) as Condition;
  const taken = new Set((document.asks ?? []).map((a) => a.name));
  const base =
    (field?.label ?? "answer")
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "_")
      .replace(/^[^a-z]+|_$/g, "") || "answer";
  let name = base.slice(0, 36);
  for (let n = 2; taken.has(name); n += 1) name = `${base.slice(0, 36)}_${n}`;
  const kind = askKind(node.is, field);
  const label =
    kind === "window"
      ? tr("{{label}}: which days?", { label: field?.label ?? tr("Date") })
      : tr("Which {{label}}?", { label: (field?.label ?? "value").toLowerCase() });
  const given = answerIn(node);
  const ask: Ask = { name, label, kind, ...(given === undefined || given === "" ? {} : { default: given }) };
  const { is, exact } = node;
  const asked: Condition = { ...subjectOf(node), is, ask: name, ...(exact ? { exact } : {}) };
  return { ...replaceNode(document, place, asked), asks: [...(document.asks ?? []), ask] };
}

/** Change the ask that the condition at `place` names. */
export function changeAsk(document: Document, name: string, change: Partial<Ask>): Document {
  return { ...document, asks: (document.asks ?? []).map((a) => (a.name === name ? { ...a, ...change } : a)) };
}

/** Change the comparison of an asked condition, its default going along. */
export function changeAsked(
  document: Document,
  place: string,
  changed: Condition,
  field: FieldInfo | undefined,
): Document {
  const node = nodeAt(document, place) as Condition;
  const { is, exact } = changed;
  const kept: Condition = { ...subjectOf(node), is, ask: node.ask, ...(exact ? { exact } : {}) };
  const moved = replaceNode(document, place, kept);
  return changeAsk(moved, node.ask!, { default: answerIn(changed), kind: askKind(is, field) });
}

/** Ask no longer: the default becomes the condition's value. */
export function askNoLonger(document: Document, place: string): Document {
  const node = nodeAt(document, place) as Condition;
  const settled = replaceNode(document, place, answered(document, node));
  return withoutLooseAsks(settled);
}

/** Questions that nothing uses any longer are dropped: no comparison, no formula, no check, no name of a file. */
export function withoutLooseAsks(document: Document): Document {
  if (!document.asks?.length) return document;
  const said = JSON.stringify({ ...document, asks: undefined });
  const asks = document.asks.filter(
    ({ name }) => said.includes(`"ask":"${name}"`) || new RegExp(`\\{ask\\.${name}[:}]`).test(said),
  );
  return asks.length === document.asks.length
    ? document
    : { ...document, asks: asks.length ? asks : undefined };
}
