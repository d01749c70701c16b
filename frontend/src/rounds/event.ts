import type { NewRound as Draft } from "../api";
import type { Condition } from "../bench/types";

/** An event that says nothing yet. */
export const CONTENT = {
  records: "",
  where: {} as Record<string, never>,
  answers: {} as Record<string, string>,
  each: false,
  channel: "",
  button: "",
};

/** What more is said of what starts a round. */
export function eventOf(draft: Draft): typeof CONTENT {
  return { ...CONTENT, ...draft.event } as typeof CONTENT;
}

export function isCondition(where: unknown): where is Condition {
  return typeof where === "object" && where !== null && "path" in where && "is" in where;
}
