/** A span of days relative to the moment of a run, as documents hold it. */
export interface Window {
  type: string;
  count?: number;
  unit?: string;
  with_current?: boolean;
  first?: string | null;
  last?: string | null;
}

/** Windows offered first; the number in `last` can be changed in place. */
export const WINDOWS: Window[] = [
  { type: "last", count: 30, unit: "day" },
  { type: "this", unit: "day" },
  { type: "previous", unit: "day" },
  { type: "this", unit: "week" },
  { type: "previous", unit: "week" },
  { type: "to_date", unit: "month" },
  { type: "previous", unit: "month" },
  { type: "previous", unit: "quarter" },
  { type: "to_date", unit: "year" },
  { type: "previous", unit: "year" },
  { type: "previous", unit: "financial_year" },
  { type: "since_last_run" },
  { type: "all_time" },
];

/** Whether two windows are of one kind, whatever their number: the last 7 days, the last 30 days. */
export function sameKind(a: Window, b: Window): boolean {
  const shape = (w: Window) =>
    `${w.type} ${["all_time", "since_last_run"].includes(w.type) ? "" : (w.unit ?? "day")}`;
  return shape(a) === shape(b);
}
