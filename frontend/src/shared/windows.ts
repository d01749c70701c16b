import type { Schemas } from "../api";
import { vocabulary } from "./vocabulary";
import { tr } from "../i18n";

/** A span of days relative to the moment of a run, as documents hold it. */
export type Window = Schemas["Window"];

/** A window of that kind, with what it can take over from another. */
export function ofKind(type: Window["type"], from: Window): Window {
  const shape = vocabulary().windows.find((s) => s.name === type);
  if (type === "between") return { type, first: from.first ?? "", last: from.last ?? "" };
  if (!shape?.units.length) return { type };
  const fits = shape.units.find((u) => u === from.unit);
  const unit = fits ?? (shape.units[0] === "minute" ? "day" : shape.units[0]!);
  return { type, unit, ...(shape.counted ? { count: from.count ?? 30 } : {}) };
}

/** Units for one and for several, and the one that is not over yet. */
const UNITS: Record<string, [string, string, string]> = {
  minute: [tr("minute"), tr("minutes"), tr("with this minute")],
  hour: [tr("hour"), tr("hours"), tr("with this hour")],
  day: [tr("day"), tr("days"), tr("with today")],
  week: [tr("week"), tr("weeks"), tr("with this week")],
  month: [tr("month"), tr("months"), tr("with this month")],
  quarter: [tr("quarter"), tr("quarters"), tr("with this quarter")],
  year: [tr("year"), tr("years"), tr("with this year")],
  financial_year: [tr("financial year"), tr("financial years"), tr("with this financial year")],
};

/** The unit as it is read behind a number or a word. */
export function unitWords(unit: string, many: boolean): string {
  return UNITS[unit]?.[many ? 1 : 0] ?? unit;
}

/** Whether a window takes in the unit that is not over yet, in words. */
export function withCurrent(unit: string): string {
  return UNITS[unit]?.[2] ?? unit;
}

/** Whether two windows are of one kind, whatever their number: the last 7 days, the last 30 days. */
export function sameKind(a: Window, b: Window): boolean {
  const shape = (w: Window) =>
    `${w.type} ${["all_time", "since_last_run"].includes(w.type) ? "" : (w.unit ?? "day")}`;
  return shape(a) === shape(b);
}
