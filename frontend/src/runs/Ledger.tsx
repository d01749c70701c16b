import { useInfiniteQuery } from "@tanstack/react-query";
import { Button, Form } from "react-bootstrap";
import { Link, useSearchParams } from "react-router";
import { answer, api, fileAddress } from "../api";
import type { Run } from "../api";
import { useShell } from "../shell";
import {
  Icon,
  Trouble,
  count,
  duration,
  formatName,
  plural,
  shortMoment,
  size,
  useDebounced,
} from "../shared";
import { RunStatus } from "./RunStatus";

const STATUSES = ["asked", "running", "ready", "failed", "cancelled"] as const;
const PAGE = 50;

/** Everything that ran: who, what, when, how many rows, what became of it. */
export function Ledger() {
  const { news } = useShell();
  const [params, setParams] = useSearchParams();
  const search = useDebounced(params.get("q") ?? "", 200);
  const status = params.get("status") ?? "";
  const template = params.get("template");
  const set = (name: string, value: string) =>
    setParams(
      (known) => {
        const next = new URLSearchParams(known);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  const query = {
    at_most: PAGE,
    search: search || undefined,
    status: status || undefined,
    template_id: template ? Number(template) : undefined,
  };
  const runs = useInfiniteQuery({
    queryKey: ["runs", query],
    queryFn: ({ pageParam }) =>
      answer(api.GET("/api/v1/runs", { params: { query: { ...query, before: pageParam ?? undefined } } })),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => page.next,
  });
  const shown = (runs.data?.pages ?? []).flatMap((p) => p.runs).map((r) => ({ ...r, ...news.runs[r.id] }));

  return (
    <>
      <div className="strip">
        <h1>Runs</h1>
        <span className="soft">
          {runs.hasNextPage ? "the newest " : ""}
          {plural(shown.length, "run")}
        </span>
        <span className="fill" />
      </div>
      <main className="body">
        <div className="d-flex gap-2 mb-2">
          <div className="search" style={{ width: 320 }}>
            <Icon name="search" />
            <input
              aria-label="Search runs"
              placeholder="Template or person"
              value={params.get("q") ?? ""}
              onChange={(e) => set("q", e.target.value)}
            />
          </div>
          <Form.Select
            aria-label="Status"
            style={{ width: 170 }}
            value={status}
            onChange={(e) => set("status", e.target.value)}
          >
            <option value="">every status</option>
            {STATUSES.map((s) => (
              <option key={s} value={s}>
                {s === "asked" ? "waiting" : s}
              </option>
            ))}
          </Form.Select>
          {template && (
            <Button variant="quiet" onClick={() => set("template", "")}>
              one template only <Icon name="x" />
            </Button>
          )}
        </div>
        <Trouble error={runs.error} />
        {runs.isSuccess && shown.length === 0 ? (
          <div className="nothing slab">
            Every run stands here with who asked, what for, how many rows went out and the files. Nothing fits
            yet.
          </div>
        ) : (
          <LedgerTable runs={shown} />
        )}
        {runs.hasNextPage && (
          <Button variant="quiet" className="mt-2" onClick={() => void runs.fetchNextPage()}>
            Earlier runs
          </Button>
        )}
      </main>
    </>
  );
}

function LedgerTable({ runs }: { runs: Run[] }) {
  return (
    <table className="board">
      <thead>
        <tr>
          <th>Run</th>
          <th>Template</th>
          <th>Asked by</th>
          <th>When</th>
          <th className="text-end">Rows</th>
          <th>Status</th>
          <th>File</th>
        </tr>
      </thead>
      <tbody>
        {runs.map((run) => (
          <tr key={run.id}>
            <td className="mono">
              <Link to={`/runs/${run.id}`}>{run.id}</Link>
            </td>
            <td>
              <Link to={`/runs/${run.id}`} className="fw-bold text-reset">
                {run.name}
              </Link>
              <div className="soft small">
                {run.version ? `version ${run.version}` : "unsaved draft or document"}
              </div>
            </td>
            <td>{run.asked_by}</td>
            <td className="text-nowrap">
              {shortMoment(run.asked_at)}
              <div className="soft small">{took(run)}</div>
            </td>
            <td className="num">{run.status === "ready" ? count(run.rows_written) : "—"}</td>
            <td>
              <RunStatus run={run} />
              {run.error && (
                <div
                  className="soft small one-line"
                  style={{ maxWidth: 260 }}
                  title={String(run.error.message)}
                >
                  {String(run.error.message)}
                </div>
              )}
            </td>
            <td className="text-nowrap">
              {run.files.map((file) => (
                <a key={file.id} href={fileAddress(run.id, file.id)} download title={file.name}>
                  <Icon name="download" /> {formatName(run.format)}{" "}
                  <span className="soft">{size(file.size)}</span>
                </a>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function took(run: Run): string {
  if (!run.finished_at || !run.started_at) return "";
  return `took ${duration((new Date(run.finished_at).getTime() - new Date(run.started_at).getTime()) / 1000)}`;
}
