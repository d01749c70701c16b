import type { FormatName } from "../api";
import type { Window } from "../shared";
import type { Check } from "./checks";

export type { Window };

/** A template document, format `bouquet-template/1`, as the bench edits it. */
export interface Document {
  format: "bouquet-template/1";
  name: string;
  about?: string;
  records: string;
  rows?: RowRule;
  asks?: Ask[];
  columns?: Column[];
  filter?: Narrowing;
  order?: OrderLevel[];
  at_most?: number | null;
  only?: "everything" | "new" | "new_or_changed";
  zone?: string;
  checks?: Check[];
  output?: Output;
}

/** What one row stands for: a record, one of its many children, or a group. */
export type RowRule =
  | { per: "record" }
  | { per: "child"; path: string; parents_without?: "keep" | "leave_out" }
  | { per: "group"; by: By[]; across?: Across };

/** A value whose values become columns. */
export interface Across {
  path: string;
  step?: "day" | "week" | "month" | "quarter" | "year";
  most?: number;
  total?: boolean;
  gaps?: boolean;
}

export interface By {
  path: string;
  step?: string | null;
  count?: number;
  fill_gaps?: boolean;
}

/** A question that the template leaves open; conditions name it. */
export interface Ask {
  name: string;
  label: string;
  kind?: "choices" | "text" | "number" | "date" | "yes_no" | "window";
  default?: unknown;
  required?: boolean;
}

export interface Fold {
  path?: string;
  how: string;
  where?: Narrowing | null;
  order?: { path: string; direction?: "ascending" | "descending" }[];
  separator?: string;
  distinct?: boolean;
  at_most?: number | null;
  columns?: number;
}

export interface Column {
  id: string;
  heading: string;
  /** What else it is headed, by language. */
  headings?: Record<string, string>;
  value: ColumnValue;
  show?: Show;
  blank?: string;
  width?: number | null;
  total?: "sum" | "mean" | "count" | "least" | "greatest" | null;
  editable?: boolean;
  /** What it means, for the dictionary; else its field’s. */
  meaning?: string;
}

/** What a column holds: a field, the same text in every row, many records as one value, or a formula. */
export type ColumnValue =
  { field: string; step?: string } | { constant: string } | { fold: Fold } | { formula: string };

export interface Show {
  date?: string | null;
  decimals?: number | null;
  decimal_mark?: "." | "," | null;
  grouping?: "" | " " | "," | "." | "'" | null;
  prefix?: string;
  suffix?: string;
  choice?: "label" | "code";
  yes?: string | null;
  no?: string | null;
  case?: "as_is" | "upper" | "lower";
  trim?: boolean;
  factor?: string | null;
  first?: number | null;
  pad?: number | null;
  pad_with?: string;
  pad_side?: "left" | "right";
  rounding?: "half_away" | "half_even";
  link?: boolean;
}

export type Scalar = string | number | boolean;

/** A comparison of a field, or of a column of the sheet: then `column` names it instead of `path`. */
export interface Condition {
  path: string;
  column?: string;
  is: string;
  value?: Scalar | null;
  values?: Scalar[] | null;
  window?: Window | null;
  exact?: boolean;
  ask?: string | null;
}

export interface Has {
  path: string;
  has: "any" | "none" | "at_least";
  count?: number;
  where?: Narrowing | null;
}

export type Narrowing =
  | Condition
  | Has
  | { picks: string }
  | { formula: string }
  | { all: Narrowing[] }
  | { any: Narrowing[] }
  | { none: Narrowing[] };

export interface OrderLevel {
  column?: string | null;
  path?: string | null;
  direction?: "ascending" | "descending";
  blanks?: "first" | "last";
}

export interface Output {
  format?: FormatName;
  name?: string;
  style?: "machine" | "reader";
  locale?: string;
  /** The language of the headings, where columns have several. */
  language?: string;
  reader?: { title?: boolean; groups?: string[]; subtotals?: boolean; grand_total?: boolean };
  guard_formulas?: boolean | null;
  split?: { rows?: number; megabytes?: string; by?: string; into?: "files" | "sheets" } | null;
  dictionary?: ("sheet" | "csv" | "csvw")[];
  companions?: ("findings" | "slip" | "gone")[];
  children?: { path: string; columns?: string[] }[];
  attachments?: { path: string; folder?: string; heading?: string } | null;
  /** The id of the column by whose values findings are counted. */
  findings_by?: string | null;
  archive?: boolean;
  keep_days?: number | null;
  csv?: {
    separator?: string;
    line_end?: "CRLF" | "LF";
    encoding?: "utf-8" | "utf-8-sig" | "utf-16" | "windows-1252" | "iso-8859-1";
    unencodable?: "stop" | "replace";
    quoting?: "as_needed" | "text" | "everything";
    heading_row?: "headings" | "names" | "both" | "none" | "merge";
  };
  xlsx?: {
    sheet?: string;
    title?: string;
    subject?: string;
    author?: string;
    keywords?: string;
    about_sheet?: boolean;
    findings_sheet?: boolean;
    /** Ids of columns that may be changed in the file. */
    editable?: string[];
    /** Ids of columns with a bar behind each number. */
    bars?: string[];
    /** Colours by rule, the first that fits being seen. */
    tints?: Tint[];
    chart?: { kind: "bars" | "line"; columns?: string[] } | null;
  };
  pages?: { layout?: "table" | "cards"; form?: boolean };
}

/** A colour in a spreadsheet where a column's value is as said. */
export interface Tint {
  column: string;
  is?: "is" | "is_not" | "less_than" | "at_most" | "greater_than" | "at_least" | "is_blank";
  value?: string;
  tint?: "amber" | "rose" | "moss" | "sky";
  row?: boolean;
}
