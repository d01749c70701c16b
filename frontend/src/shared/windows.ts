/** A span of days relative to the moment of a run, as documents hold it. */
export interface Window {
  type: string;
  count?: number;
  unit?: string;
  with_current?: boolean;
  first?: string | null;
  last?: string | null;
}

/** Windows offered by one press; every other is put together from its kind, number and unit. */
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

/** What a kind of window is put together from. */
interface Shape {
  type: string;
  words: string;
  /** Its units, where it has one. */
  units?: readonly string[];
  counted?: boolean;
  /** Words behind the unit. */
  after?: string;
}

const DAYS = ["day", "week", "month", "quarter", "year"] as const;
const PERIODS = [...DAYS, "financial_year"] as const;
const TIMES = ["minute", "hour", ...DAYS] as const;

export const SHAPES: readonly Shape[] = [
  { type: "last", words: "the last", units: TIMES, counted: true },
  { type: "this", words: "this", units: PERIODS },
  { type: "previous", words: "the one before", units: PERIODS },
  { type: "next", words: "the next", units: PERIODS },
  { type: "to_date", words: "so far in this", units: PERIODS.slice(1) },
  { type: "before_ago", words: "more than", units: TIMES, counted: true, after: "ago" },
  { type: "after_ago", words: "at most", units: TIMES, counted: true, after: "ago, and later" },
  { type: "between", words: "between two dates" },
  { type: "since_last_run", words: "since the last delivered run" },
  { type: "all_time", words: "all time" },
];

/** A window of that kind, with what it can take over from another. */
export function ofKind(type: string, from: Window): Window {
  const shape = SHAPES.find((s) => s.type === type);
  if (type === "between") return { type, first: from.first ?? "", last: from.last ?? "" };
  if (!shape?.units) return { type };
  const unit = shape.units.includes(from.unit ?? "")
    ? from.unit!
    : shape.units[0] === "minute"
      ? "day"
      : shape.units[0]!;
  return { type, unit, ...(shape.counted ? { count: from.count ?? 30 } : {}) };
}

/** The unit as it is read behind a number or a word. */
export function unitWords(unit: string, many: boolean): string {
  return unit.replace("_", " ") + (many ? "s" : "");
}

/** Whether two windows are of one kind, whatever their number: the last 7 days, the last 30 days. */
export function sameKind(a: Window, b: Window): boolean {
  const shape = (w: Window) =>
    `${w.type} ${["all_time", "since_last_run"].includes(w.type) ? "" : (w.unit ?? "day")}`;
  return shape(a) === shape(b);
}
