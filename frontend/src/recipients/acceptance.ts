import type { FormatName } from "../api";
import { tr } from "../i18n";
/** What a recipient can take, as `bouquet-recipient/1` has it. */
export interface LayoutColumn {
  heading: string;
  kind?: Kind;
  required?: boolean;
  unique?: boolean;
  one_of?: string[];
  pattern?: string;
  longest?: number;
  least?: number | string;
  greatest?: number | string;
  full?: number;
  example?: string;
}

export type Kind = "any" | "text" | "whole number" | "number" | "date" | "moment" | "yes or no";

/** What a column may hold, in words. */
export const KINDS: Record<Kind, string> = {
  any: tr("any"),
  text: tr("text"),
  "whole number": tr("whole number"),
  number: tr("number"),
  date: tr("date"),
  moment: tr("moment"),
  "yes or no": tr("yes or no"),
};

export interface Acceptance {
  document?: "bouquet-recipient/1";
  format?: FormatName | null;
  csv?: { separator?: string; encoding?: string; heading_row?: string } | null;
  name?: string;
  columns?: LayoutColumn[];
  exact?: boolean;
  most_rows?: number | null;
  facts?: Record<string, string>;
  personal?: boolean;
  /** How a class of personal data is given to them, where that is not as `personal` says. */
  classes?: Record<string, "seen" | "masked" | "pseudonym" | "hidden">;
}

/** An acceptance with something else; options of a CSV go where the file is none. */
export function withForm(acceptance: Acceptance, part: Partial<Acceptance>): Record<string, unknown> {
  const merged = { ...acceptance, ...part };
  if (merged.format && merged.format !== "csv") delete merged.csv;
  return Object.fromEntries(
    Object.entries(merged).filter(([, value]) => value !== null && value !== undefined && value !== ""),
  );
}

/** What is asked of a column besides its kind, in a few words. */
export function asked(column: LayoutColumn): string {
  const said = [
    column.required && tr("never blank"),
    column.unique && tr("each its own"),
    column.full !== undefined && tr("at least {{full}} % full", { full: column.full }),
    column.one_of?.length && tr("one of {{one_of}}", { one_of: column.one_of.slice(0, 4).join(", ") }),
    column.pattern && tr("of the form {{pattern}}", { pattern: column.pattern }),
    column.longest !== undefined && tr("at most {{longest}} characters", { longest: column.longest }),
    (column.least !== undefined || column.greatest !== undefined) &&
      tr("{{least}} to {{greatest}}", { least: column.least ?? "…", greatest: column.greatest ?? "…" }),
  ];
  return said.filter(Boolean).join(", ");
}
