import type { Run } from "../api";
import { tr } from "../i18n";

/** The proof that goes with a run. */
export type Slip = NonNullable<Run["slip"]>;

export type SlipCheck = Slip["checks"][number];

/** A row to which a check objected. */
export type RunFinding = NonNullable<Run["findings"]>[number];

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
