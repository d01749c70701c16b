/** A template document, format `bouquet-template/1`, as the bench edits it. */
export interface Document {
  format: "bouquet-template/1";
  name: string;
  about?: string;
  records: string;
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
  value: { field: string } | { constant: string };
  show?: Show;
  blank?: string;
}

export interface Show {
  date?: string | null;
  decimals?: number | null;
  decimal_mark?: "." | ",";
  grouping?: "" | " " | "," | "." | "'";
  prefix?: string;
  suffix?: string;
  choice?: "label" | "code";
  yes?: string;
  no?: string;
  case?: "as_is" | "upper" | "lower";
  trim?: boolean;
}

export type Scalar = string | number | boolean;

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

export type Narrowing = Condition | { all: Narrowing[] } | { any: Narrowing[] } | { none: Narrowing[] };

export interface OrderLevel {
  column?: string | null;
  path?: string | null;
  direction?: "ascending" | "descending";
  blanks?: "first" | "last";
}

export interface Output {
  format?: "csv" | "xlsx";
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
