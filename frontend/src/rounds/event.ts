import type { NewRound as Draft } from "../api";
import type { Condition } from "../document/types";

type Event = Required<NonNullable<Draft["event"]>>;

/** An event that says nothing yet. */
export const CONTENT: Event = {
  records: "",
  where: {},
  answers: {},
  each: false,
  channel: "",
  button: "",
  label: "",
};

/** What more is said of what starts a round. */
export function eventOf(draft: Draft): Event {
  return { ...CONTENT, ...draft.event };
}

function isCondition(where: unknown): where is Condition {
  return typeof where === "object" && where !== null && "path" in where && "is" in where;
}

/** The conditions that all have to be met; null where there is more to it than a form shows. */
export function conditionsOf(where: object): Condition[] | null {
  if (Object.keys(where).length === 0) return [];
  if (isCondition(where)) return [where];
  const all: unknown = "all" in where ? where.all : null;
  return Array.isArray(all) && all.length > 0 && all.every(isCondition) ? all : null;
}

/** Conditions as a narrowing. */
export function whereOf(conditions: Condition[]): Event["where"] {
  return conditions.length === 1 ? conditions[0]! : conditions.length ? { all: conditions } : {};
}
