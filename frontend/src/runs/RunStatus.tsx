import type { Run } from "../api";
import { Icon, count } from "../shared";

export const STATUS_WORDS: Record<Run["status"], string> = {
  asked: "waiting for its turn",
  running: "under way",
  held: "waiting for review",
  releasing: "going out",
  ready: "ready",
  failed: "failed",
  cancelled: "cancelled",
  discarded: "discarded",
};

/** A run's status as a word on a tag; while it runs, with the rows so far. */
export function RunStatus({ run }: { run: Run }) {
  const word =
    run.status === "ready" && run.delivered_to.length ? "ready, delivered" : STATUS_WORDS[run.status];
  const rows = run.status === "running" && run.rows_announced ? ` · ${count(run.rows_written)}` : "";
  return (
    <span className={`tag ${run.status}`}>
      {run.status === "held" && <Icon name="pause" />} {word}
      {rows}
    </span>
  );
}
