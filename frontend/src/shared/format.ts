import { counted, tr } from "../i18n";
/** The formats of one locale, made once. */
function formatsOf(locale: string) {
  const whole = new Intl.NumberFormat(locale);
  const parts = whole.formatToParts(1234567).concat(new Intl.NumberFormat(locale).formatToParts(0.5));
  return {
    whole,
    group: parts.find((p) => p.type === "group")?.value ?? ",",
    mark: parts.find((p) => p.type === "decimal")?.value ?? ".",
    clock: new Intl.DateTimeFormat(locale, { hour: "2-digit", minute: "2-digit" }),
    day: new Intl.DateTimeFormat(locale, { weekday: "short", day: "numeric", month: "short" }),
    date: new Intl.DateTimeFormat(locale, { day: "numeric", month: "short", year: "numeric" }),
    full: new Intl.DateTimeFormat(locale, { dateStyle: "medium", timeStyle: "medium" }),
  };
}

const BROWSERS = typeof navigator === "undefined" ? "en-GB" : navigator.language || "en-GB";

let chosen = BROWSERS;
let formats = formatsOf(BROWSERS);

/** Write dates and numbers as people of this locale do; "" is the browser's. What is shown next is written so. */
export function setLocale(locale: string): void {
  const wanted = locale || BROWSERS;
  if (wanted === chosen) return;
  formats = formatsOf(wanted);
  chosen = wanted;
}

/** The locale of the screen as documents name it, `en_GB`; a language alone is taken as it is most written here. */
export function screenLocale(): string {
  const name = chosen.replace("-", "_");
  return /^[a-z]{2,3}_[A-Z]{2}$/.test(name) ? name : name === "en" ? "en_GB" : name.slice(0, 2);
}

/** The locale of the screen as browsers name it. */
export function localeTag(): string {
  return chosen;
}

/** The day of the week, `Mon`. */
export function weekday(day: Date): string {
  return day.toLocaleDateString(chosen, { weekday: "short" });
}

/** A count with its thousands grouped, in the person's locale. */
export function count(n: number): string {
  return formats.whole.format(n);
}

/**
 * A number as people of the chosen locale type it, as documents hold it: `1.234,5` → `1234.5`. What is no number stays
 * as it was typed, to be refused at its place.
 */
export function typedNumber(text: string): string {
  const { group, mark } = formats;
  const plain = text.trim().replace(/[\u00a0\u202f]/g, " ");
  const grouped = new RegExp(`^[+-]?\\d{1,3}(${escaped(group)}\\d{3})*(${escaped(mark)}\\d+)?$`);
  const ungrouped = new RegExp(`^[+-]?\\d+(${escaped(mark)}\\d*)?$`);
  const spaced = /\s/.test(group) ? " " : group;
  const known = plain.replaceAll(" ", spaced === " " ? group : " ");
  if (!grouped.test(known) && !ungrouped.test(plain)) return text;
  return (grouped.test(known) ? known.replaceAll(group, "") : plain).replace(mark, ".");
}

/** A number of a document as people of the chosen locale write it, ungrouped: `1234.5` → `1234,5`. */
export function shownNumber(number: string): string {
  return /^[+-]?\d+(\.\d+)?$/.test(number) ? number.replace(".", formats.mark) : number;
}

function escaped(mark: string): string {
  return mark.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
}

/** A word or sentence with a capital at its head. */
export function capital(text: string): string {
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}

/**
 * `1 row`, `2 rows`. In other languages the catalogues know the noun by its English plural; what the house calls its
 * records stands as it is.
 */
export function plural(n: number, one: string, many = `${one}s`): string {
  return counted(n, count(n), many) ?? `${count(n)} ${n === 1 ? one : many}`;
}

/** An exact decimal, given as text, with the thousands of its whole part grouped; no digit is lost. */
export function exact(decimal: string): string {
  const [, sign = "", digits = "", rest = ""] = /^(-?)(\d+)(.*)$/.exec(decimal) ?? [];
  return sign + digits.replace(/\B(?=(\d{3})+$)/g, formats.group) + rest.replace(".", formats.mark);
}

const CURRENCIES: Record<string, string> = { "£": "GBP", $: "USD", "€": "EUR", "¥": "JPY" };

/** A value with its unit, where the chosen locale puts it: `12 cm`, `£12`, `12 €`. One that has it stays as it is. */
export function withUnit(value: string, unit: string): string {
  if (!unit || !value || value.includes(unit)) return value;
  const currency = CURRENCIES[unit];
  if (!currency) return `${value}\u00a0${unit}`;
  const parts = new Intl.NumberFormat(chosen, { style: "currency", currency }).formatToParts(1);
  return parts[0]?.type === "currency" ? unit + value : `${value}\u00a0${unit}`;
}

/** A measured number with so many digits after the mark, in the person's locale. */
function fixed(n: number, digits: number): string {
  return shownNumber(n.toFixed(digits));
}

/** A size in bytes as people read it: `0.6 MB`. */
export function size(bytes: number): string {
  if (bytes < 1000) return plural(bytes, "byte");
  if (bytes < 1e6) return tr("{{bytes}} kB", { bytes: fixed(bytes / 1000, bytes < 1e4 ? 1 : 0) });
  if (bytes < 1e9) return tr("{{bytes}} MB", { bytes: fixed(bytes / 1e6, 1) });
  return tr("{{bytes}} GB", { bytes: fixed(bytes / 1e9, 2) });
}

/** The time of day, `06:00`. */
export function clock(moment: string | Date): string {
  return formats.clock.format(new Date(moment));
}

/** Date and time in full. */
export function fullMoment(moment: string | Date): string {
  return formats.full.format(new Date(moment));
}

/** The day of a moment, `1 Feb 2027`. */
export function shortDay(moment: string | Date): string {
  return formats.date.format(new Date(moment));
}

/** A moment, as short as it can be told apart: time today, else day and time. */
export function shortMoment(moment: string | Date): string {
  const at = new Date(moment);
  if (at.toDateString() === new Date().toDateString()) return tr("today {{at}}", { at: clock(at) });
  return `${formats.day.format(at)} ${clock(at)}`;
}

/** Seconds as `3.1 s`, `2 min 5 s`. */
export function duration(seconds: number): string {
  if (seconds < 60) return `${seconds < 10 ? fixed(seconds, 1) : Math.round(seconds)} s`;
  return tr("{{seconds}} min {{seconds2}} s", {
    seconds: Math.floor(seconds / 60),
    seconds2: Math.round(seconds % 60),
  });
}

/** What the formats are called, once the server has said so. */
const labels = new Map<string, string>([["zip", "Archive"]]);

export function rememberFormats(formats: { name: string; label: string }[]): void {
  for (const { name, label } of formats) labels.set(name, label);
}

/** A file format as people call it. */
export function formatName(format: string): string {
  return labels.get(format) ?? format.toUpperCase();
}
