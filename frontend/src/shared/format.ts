const LOCALE = typeof navigator === "undefined" ? "en-GB" : navigator.language || "en-GB";

const whole = new Intl.NumberFormat(LOCALE);
const parts = whole.formatToParts(1234567).concat(new Intl.NumberFormat(LOCALE).formatToParts(0.5));
const GROUP = parts.find((p) => p.type === "group")?.value ?? ",";
const MARK = parts.find((p) => p.type === "decimal")?.value ?? ".";
const clockFormat = new Intl.DateTimeFormat(LOCALE, { hour: "2-digit", minute: "2-digit" });
const dayFormat = new Intl.DateTimeFormat(LOCALE, { weekday: "short", day: "numeric", month: "short" });
const fullFormat = new Intl.DateTimeFormat(LOCALE, { dateStyle: "medium", timeStyle: "medium" });

/** A count with its thousands grouped, in the person's locale. */
export function count(n: number): string {
  return whole.format(n);
}

/** `1 row`, `2 rows`. */
export function plural(n: number, one: string, many = `${one}s`): string {
  return `${count(n)} ${n === 1 ? one : many}`;
}

/** An exact decimal, given as text, with the thousands of its whole part grouped; no digit is lost. */
export function exact(decimal: string): string {
  const [, sign = "", digits = "", rest = ""] = /^(-?)(\d+)(.*)$/.exec(decimal) ?? [];
  return sign + digits.replace(/\B(?=(\d{3})+$)/g, GROUP) + rest.replace(".", MARK);
}

/** A size in bytes as people read it: `0.6 MB`. */
export function size(bytes: number): string {
  if (bytes < 1000) return plural(bytes, "byte");
  if (bytes < 1e6) return `${(bytes / 1000).toFixed(bytes < 1e4 ? 1 : 0)} kB`;
  if (bytes < 1e9) return `${(bytes / 1e6).toFixed(1)} MB`;
  return `${(bytes / 1e9).toFixed(2)} GB`;
}

/** The time of day, `06:00`. */
export function clock(moment: string | Date): string {
  return clockFormat.format(new Date(moment));
}

/** Date and time in full. */
export function fullMoment(moment: string | Date): string {
  return fullFormat.format(new Date(moment));
}

/** A moment, as short as it can be told apart: time today, else day and time. */
export function shortMoment(moment: string | Date): string {
  const at = new Date(moment);
  if (at.toDateString() === new Date().toDateString()) return `today ${clock(at)}`;
  return `${dayFormat.format(at)} ${clock(at)}`;
}

/** Seconds as `3.1 s`, `2 min 5 s`. */
export function duration(seconds: number): string {
  if (seconds < 60) return `${seconds < 10 ? seconds.toFixed(1) : Math.round(seconds)} s`;
  return `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`;
}

const FORMATS: Record<string, string> = { csv: "CSV", xlsx: "Spreadsheet", jsonl: "JSON Lines" };

/** A file format as people call it. */
export function formatName(format: string): string {
  return FORMATS[format] ?? format;
}
