import type { FormatName } from "../api";
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

export const KINDS: Kind[] = ["any", "text", "whole number", "number", "date", "moment", "yes or no"];

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
    column.required && "never blank",
    column.unique && "each its own",
    column.full !== undefined && `at least ${column.full} % full`,
    column.one_of?.length && `one of ${column.one_of.slice(0, 4).join(", ")}`,
    column.pattern && `of the form ${column.pattern}`,
    column.longest !== undefined && `at most ${column.longest} characters`,
    (column.least !== undefined || column.greatest !== undefined) &&
      `${column.least ?? "…"} to ${column.greatest ?? "…"}`,
  ];
  return said.filter(Boolean).join(", ");
}
