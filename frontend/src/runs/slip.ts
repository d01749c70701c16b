import type { Run } from "../api";
import { tr } from "../i18n";

export interface SlipCheck {
  place: string;
  words: string;
  severity: "note" | "hold" | "stop";
  objections: number;
  saw?: string;
  /** Findings counted by a column’s value, and by who touched the record last. */
  by?: string;
  by_place?: [string, number][];
  by_person?: [string, number][];
}

/** The proof that goes with a run, as far as the interface reads it. */
export interface Slip {
  sentence: string;
  /** The record type that a row stands for. */
  rows_of?: string;
  as_of: string;
  snapshot_at: string;
  source: string;
  environment: string;
  rows_announced: number;
  rows_written: number;
  tally: { words: string; rows: number; left_out: number; blank: number }[];
  columns: { heading: string; blanks: number; total?: string; first?: string; last?: string }[];
  findings: { what: string; count: number }[];
  checks?: SlipCheck[];
  personal_fields: string[];
  /** Labels of what no column shows. */
  not_included?: Record<string, string[]>;
  attachments?: number;
  parts?: Slip[];
  template?: string;
  scope?: { records: string; values: string[]; names?: string[] } | null;
}

export interface RunFinding {
  place: string;
  words: string;
  severity: "note" | "hold" | "stop";
  key: string[];
  title: string | null;
  column: string;
  value: string | null;
  touched_by: string | null;
  page: string | null;
}

export function slipOf(run: Run): Slip | null {
  return run.slip as Slip | null;
}

/** A run whose work is not over. */
export function isActive(run: Run): boolean {
  return ["asked", "running", "releasing"].includes(run.status);
}

/** A run that made files, whether or not they went out. */
export function isMade(run: Run): boolean {
  return ["ready", "held", "releasing"].includes(run.status);
}

export const SEVERITIES = {
  note: tr("It is noted in the slip."),
  hold: tr("This holds the file back until somebody looks."),
  stop: tr("This stops the run."),
} as const;
