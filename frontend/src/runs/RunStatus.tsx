import type { Run } from "../api";
import { Icon, count } from "../shared";
import { tr } from "../i18n";

export const STATUS_WORDS: Record<Run["status"], string> = {
  asked: tr("waiting for its turn"),
  running: tr("under way"),
  held: tr("waiting for review"),
  releasing: tr("going out"),
  ready: tr("ready"),
  failed: tr("failed"),
  cancelled: tr("cancelled"),
  discarded: tr("discarded"),
};

/** A run's status as a word on a tag; while it runs, with the rows so far. */
export function RunStatus({ run }: { run: Run }) {
  const word =
    run.status === "ready" && run.delivered_to.length ? tr("ready, delivered") : STATUS_WORDS[run.status];
  const rows = run.status === "running" && run.rows_announced ? ` · ${count(run.rows_written)}` : "";
  return (
    <span className={`tag ${run.status}`}>
      {run.status === "held" && <Icon name="pause" />} {word}
      {rows}
    </span>
  );
}
