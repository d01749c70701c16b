import type { Schemas } from "../api";
import { tr } from "../i18n";
/** A column of a recipient's layout. */
export type LayoutColumn = Schemas["LayoutColumn"];
export type Kind = NonNullable<LayoutColumn["kind"]>;

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

/** What a recipient can take, as `bouquet-recipient/1` has it. */
export type Acceptance = Schemas["Acceptance"];

/** An acceptance with something else; options of a CSV go where the file is none. */
export function withForm(acceptance: Acceptance, part: Partial<Acceptance>): Acceptance {
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
