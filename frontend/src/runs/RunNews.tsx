import { Link } from "react-router";
import { archiveAddress, fileAddress } from "../api";
import type { Run } from "../api";
import { Icon, plural } from "../shared";
import { RunProgress } from "./RunProgress";
import { tr } from "../i18n";

/** How a run that was just asked for stands, and its file when it is there. */
export function RunNews({ run }: { run: Run }) {
  if (["asked", "running", "releasing"].includes(run.status)) return <RunProgress run={run} />;
  if (run.status === "cancelled" || run.status === "discarded")
    return (
      <span className="soft">{tr("Run {{id}} was {{status}}.", { id: run.id, status: run.status })}</span>
    );
  if (run.status === "failed") {
    return (
      <span className="trouble" role="alert">
        {tr("Run {{id}} failed: {{message}}", { id: run.id, message: run.error?.message ?? "" })}
      </span>
    );
  }
  if (run.status === "held") {
    return (
      <span role="status">
        <Link to={`/runs/${run.id}`}>
          <Icon name="pause" /> {tr("Run {{id}} is waiting for review: a check failed", { id: run.id })}
        </Link>
      </span>
    );
  }
  const there = run.files.filter((f) => f.removed_at === null && f.role !== "form");
  const file = there[0];
  return (
    <span role="status" className="d-flex gap-3 align-items-center">
      <Link to={`/runs/${run.id}`}>
        {tr("Run {{id}} is ready: {{rows_written}}", {
          id: run.id,
          rows_written: plural(run.rows_written, "row"),
        })}
      </Link>
      {file && (
        <a
          className="btn btn-quiet btn-sm"
          href={there.length > 1 ? archiveAddress(run.id) : fileAddress(run.id, file.id)}
          download
        >
          <Icon name="download" />{" "}
          {there.length > 1 ? tr("Download {{there}} files", { there: there.length }) : tr("Download")}
        </a>
      )}
    </span>
  );
}
