import type { Run } from "../api";
import { count } from "../shared";

const WORDS: Record<Run["status"], string> = {
  asked: "waiting",
  running: "running",
  ready: "ready",
  failed: "failed",
  cancelled: "cancelled",
};

/** A run's status as a word on a tag; while it runs, with the rows so far. */
export function RunStatus({ run }: { run: Run }) {
  const word = run.status === "ready" && run.delivered_to ? "ready, in its folder" : WORDS[run.status];
  const rows = run.status === "running" && run.rows_announced ? ` · ${count(run.rows_written)}` : "";
  return (
    <span className={`tag ${run.status}`}>
      {word}
      {rows}
    </span>
  );
}
