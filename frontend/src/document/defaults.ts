import type { FieldInfo } from "../api";
import { vocabulary } from "../shared";
import type { Condition } from "./types";
import { tr } from "../i18n";

/** Date patterns offered, by whether the value has a time. */
export const DATE_PATTERNS: Record<string, string[]> = {
  date: ["yyyy-MM-dd", "dd/MM/yyyy", "d MMM yyyy", "dd.MM.yyyy", "yyyyMMdd", "MMMM yyyy"],
  time: ["HH:mm", "HH:mm:ss", "h:mm a"],
  moment: ["yyyy-MM-dd HH:mm:ss", "dd/MM/yyyy HH:mm", "d MMM yyyy HH:mm", "yyyy-MM-dd", "dd/MM/yyyy"],
};

/** Languages that are offered for headings and for names in dates; documents may have any other. */
export const OFFERED_LANGUAGES = [
  "cs",
  "cy",
  "da",
  "de",
  "en",
  "es",
  "fi",
  "fr",
  "ga",
  "it",
  "nb",
  "nl",
  "pl",
  "pt",
  "ro",
  "sv",
  "uk",
];

/** The condition a person most likely wants on a field of this kind. */
export function firstCondition(field: FieldInfo): Condition {
  const path = field.path;
  switch (field.kind) {
    case "choice":
      return { path, is: "one_of", values: field.choices.slice(0, 1).map((c) => c.code) };
    case "date":
    case "timestamp":
    case "moment":
      return { path, is: "in_window", window: vocabulary().offered_windows[0] };
    case "boolean":
      return { path, is: "yes" };
    case "file":
      return { path, is: "not_blank" };
    default:
      return { path, is: "not_blank" };
  }
}

/** The heading a field brings along: its label, with its unit. */
export function headingOf(field: FieldInfo, group: string): string {
  const label = field.unit ? `${field.label} (${field.unit})` : field.label;
  const last = group.split(" › ").at(-1) ?? "";
  return group && ["name", "label", "code", "status", "kind", "note"].includes(field.label.toLowerCase())
    ? `${last} ${label.toLowerCase()}`
    : label;
}

/** Keys of the bench, for the sheet of keys. */
export const KEYS: [string, string][] = [
  ["/", tr("search the shelf")],
  ["Enter", tr("in the shelf: add the field at the end")],
  ["Shift ↑ ↓", tr("in the shelf: choose several fields; Enter adds them")],
  ["← →", tr("on a column's heading: go to the next column")],
  ["F2", tr("rename the column")],
  ["Shift ← →", tr("select several columns")],
  ["Alt ← →", tr("move the columns selected")],
  ["Ctrl D", tr("copy the columns selected")],
  ["Delete", tr("remove the column")],
  ["Space", tr("on a grip: pick the column up; arrows move it; Space puts it down")],
  ["Ctrl Z", tr("undo")],
  ["Ctrl Shift Z", tr("redo")],
  ["Ctrl S", tr("save a version")],
  ["Ctrl Enter", tr("run")],
  ["T", tr("trace a record")],
  ["A", tr("say what else is wanted")],
  ["N", tr("narrow further")],
  ["R", tr("one row per what?")],
  ["Ctrl K", tr("jump to anything")],
  ["?", tr("this list")],
];
