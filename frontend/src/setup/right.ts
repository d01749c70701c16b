import type { RightScope } from "../api";

/** A right as it is sent: values without blanks. */
export function toldScope(scope: RightScope | null): RightScope | null {
  if (!scope?.values) return scope;
  return { ...scope, values: scope.values.map((v) => v.trim()).filter(Boolean) };
}

/** Whether all of a right is said. */
export function isWhole(scope: RightScope | null): boolean {
  const told = toldScope(scope);
  if (told?.records == null) return true;
  return told.records !== "" && !!told.field && (told.values ?? []).length > 0;
}
