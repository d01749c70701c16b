import type { Document } from "../document/types";
import { tr } from "../i18n";

/** The name of a file unless the template says another. */
export const USUAL_NAME = "{template}_{as_of:%Y-%m-%d}";

/** A piece of a file name: a part that is filled in at each run, or letters that stay. */
export interface NamePiece {
  part: boolean;
  text: string;
}

/** A pattern as its pieces; letters stand between, before and after any two parts, if only as nothing. */
export function piecesOf(pattern: string): NamePiece[] {
  return pattern.split(/(\{[^{}]*\})/).map((text, n) => ({ part: n % 2 === 1, text }));
}

/** The pieces as a pattern. */
export function patternOf(pieces: NamePiece[]): string {
  return pieces.map((p) => p.text).join("");
}

/** The parts that a name can have, in words. */
export function nameParts(document: Document): [part: string, words: string][] {
  const split = document.output?.split;
  return [
    ["{template}", tr("the template's name")],
    ["{records}", tr("what the records are called")],
    ["{as_of:%Y-%m-%d}", tr("date of the run, as 2026-11-23")],
    ["{as_of:%d.%m.%Y}", tr("date of the run, as 23.11.2026")],
    ["{as_of:%Y%m%d}", tr("date of the run, as 20261123")],
    ["{as_of:%H%M}", tr("time of the run, as 0930")],
    ["{as_of:%Y-%m}", tr("month of the run, as 2026-11")],
    ["{as_of:%G-%V}", tr("week of the run, as 2026-48")],
    ["{window_start:%Y-%m-%d}", tr("first day of the period")],
    ["{window_end:%Y-%m-%d}", tr("last day of the period")],
    ["{rows}", tr("number of rows")],
    ["{sequence}", tr("number of the run")],
    ["{recipient}", tr("who receives it")],
    ...(document.asks ?? []).map((a): [string, string] => [
      `{ask.${a.name}}`,
      tr("answer to “{{label}}”", { label: a.label }),
    ]),
    ...(split ? ([["{part}", tr("number of the part")]] as [string, string][]) : []),
    ...(split?.by ? ([[`{value:${split.by}}`, tr("value that the part is of")]] as [string, string][]) : []),
  ];
}

const DATED: Record<string, string> = {
  as_of: tr("date of the run"),
  window_start: tr("first day of the period"),
  window_end: tr("last day of the period"),
};

/** 23 November 2026, half past nine, by the codes of a pattern. */
const EXAMPLE: Record<string, string> = {
  Y: "2026",
  y: "26",
  m: "11",
  d: "23",
  H: "09",
  M: "30",
  S: "00",
  j: "327",
  G: "2026",
  V: "48",
  b: tr("Nov"),
  B: tr("November"),
  a: tr("Mon"),
  A: tr("Monday"),
  u: "1",
  "%": "%",
};

/** A part in words; a date with an example of how it is written. */
export function partWords(part: string, document: Document): string {
  const usual = nameParts(document).find(([known]) => known === part)?.[1];
  if (usual) return usual;
  const [, name = "", codes = ""] = /^\{([^:]*):?(.*)\}$/.exec(part) ?? [];
  const words = DATED[name];
  if (!words) return part.slice(1, -1);
  return codes
    ? tr("{{words}}, as {{codes}}", {
        words,
        codes: codes.replace(/%(.)/g, (all, code: string) => EXAMPLE[code] ?? all),
      })
    : words;
}
