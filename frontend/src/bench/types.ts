/** A template document, format `bouquet-template/1`, as the bench edits it. */
export interface Document {
  format: "bouquet-template/1";
  name: string;
  about?: string;
  records: string;
  rows?: Record<string, unknown>;
  asks?: Record<string, unknown>[];
  columns?: Column[];
  filter?: Narrowing;
  order?: OrderLevel[];
  at_most?: number | null;
  zone?: string;
  output?: Output;
}

export interface Column {
  id: string;
  heading: string;
  value: ColumnValue;
  show?: Show;
  blank?: string;
}

/** What a column holds: a field, the same text in every row, many records as one value, or a formula. */
export type ColumnValue =
  | { field: string; step?: string }
  | { constant: string }
  | { fold: { path?: string; how: string; [option: string]: unknown } }
  | { formula: string };

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
}

export type Scalar = string | number | boolean;

/** A comparison. Instead of a path it may name a column of the sheet; then `path` is empty. */
export interface Condition {
  path: string;
  is: string;
  value?: Scalar | null;
  values?: Scalar[] | null;
  window?: Window | null;
  exact?: boolean;
}

export interface Window {
  type: string;
  count?: number;
  unit?: string;
  with_current?: boolean;
  first?: string | null;
  last?: string | null;
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
  format?: "csv" | "xlsx" | "jsonl";
  name?: string;
  csv?: {
    separator?: string;
    line_end?: "CRLF" | "LF";
    encoding?: "utf-8" | "utf-8-sig" | "utf-16" | "windows-1252" | "iso-8859-1";
    unencodable?: "stop" | "replace";
    quoting?: "as_needed" | "text" | "everything";
    heading_row?: "headings" | "names" | "both" | "none";
  };
  xlsx?: { sheet?: string; title?: string; subject?: string; author?: string; about_sheet?: boolean };
}
