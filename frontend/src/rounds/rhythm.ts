import type { Rhythm } from "../api";
import { language, tr } from "../i18n";

export const DAYS = [
  tr("Monday"),
  tr("Tuesday"),
  tr("Wednesday"),
  tr("Thursday"),
  tr("Friday"),
  tr("Saturday"),
  tr("Sunday"),
];
export const MONTHS = Array.from({ length: 12 }, (_, n) =>
  new Date(2024, n, 1).toLocaleDateString(language, { month: "long" }),
);

/** What people say a rhythm is, each with the document it starts from. */
export const KINDS: Record<string, { words: string; start: Rhythm }> = {
  weekdays: { words: tr("Monday to Friday"), start: { every: "week", weekdays: [0, 1, 2, 3, 4] } },
  day: { words: tr("every day"), start: { every: "day" } },
  working_day: { words: tr("every working day"), start: { every: "working_day" } },
  week: { words: tr("on days of the week"), start: { every: "week", weekdays: [0] } },
  month_days: { words: tr("on days of the month"), start: { every: "month", month_days: [1] } },
  nth: {
    words: tr("on the first, second … such weekday"),
    start: { every: "month", nth: [{ n: 1, weekday: 0 }] },
  },
  nth_working_day: {
    words: tr("on working days of the month"),
    start: { every: "month", nth_working_day: [1] },
  },
  dates: { words: tr("on dates of a list"), start: { every: "dates", dates: [] } },
  rule: { words: tr("by a recurrence rule"), start: { every: "rule", rule: "FREQ=MONTHLY;BYDAY=-1FR" } },
};

/** The rhythm with other days; times and days off stay. */
export function withKind(rhythm: Rhythm, kind: string): Rhythm {
  const { times, often, day_off } = rhythm;
  return { ...KINDS[kind]!.start, times, often, day_off };
}

/** Numbers typed with commas between them; -1 is the last. Null where something else was typed. */
export function readNumbers(text: string): number[] | null {
  const parts = text
    .split(/[,\s]+/)
    .map((p) => p.trim().toLowerCase())
    .filter(Boolean);
  const numbers = parts.map((p) => (p === "last" ? -1 : /^-?\d{1,2}$/.test(p) ? Number(p) : NaN));
  return numbers.some(Number.isNaN) ? null : numbers;
}

export function writeNumbers(numbers: readonly number[]): string {
  return numbers.map((n) => (n === -1 ? "last" : String(n))).join(", ");
}
