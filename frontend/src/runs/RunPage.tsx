import { useQuery } from "@tanstack/react-query";
import { Button } from "react-bootstrap";
import { Link, useParams } from "react-router";
import { answer, api, fileAddress } from "../api";
import type { Run } from "../api";
import { useMay, useShell } from "../shell";
import { Icon, Trouble, clock, count, duration, exact, fullMoment, plural, size } from "../shared";
import { RunProgress } from "./RunProgress";
import { RunStatus } from "./RunStatus";
import { useStartRun } from "./useStartRun";

interface Slip {
  sentence: string;
  as_of: string;
  snapshot_at: string;
  source: string;
  environment: string;
  rows_announced: number;
  rows_written: number;
  tally: { words: string; rows: number; left_out: number; blank: number }[];
  columns: { heading: string; blanks: number; total?: string; first?: string; last?: string }[];
  findings: { what: string; count: number }[];
  personal_fields: string[];
}

/** One run: how it went, what it made, and the proof. */
export function RunPage() {
  const id = Number(useParams().id);
  const { news } = useShell();
  const mayRun = useMay("run");
  const again = useStartRun();
  const known = useQuery({
    queryKey: ["run", id],
    queryFn: () => answer(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: id } } })),
  });
  if (!known.data) {
    return (
      <main className="body">
        <Trouble error={known.error} />
      </main>
    );
  }
  const run: Run = { ...known.data, ...news.runs[id], slip: known.data.slip };
  const slip = run.slip as Slip | null;
  const active = run.status === "asked" || run.status === "running";
  return (
    <>
      <div className="strip">
        <Link to="/runs" aria-label="Back to the runs">
          <Icon name="chevronLeft" />
        </Link>
        <h1>{run.name}</h1>
        <span className="tag">
          run {count(run.id)} · {run.version ? `version ${run.version}` : "unsaved draft or document"}
        </span>
        <RunStatus run={run} />
        <span className="fill" />
        {again.data && <Link to={`/runs/${again.data.id}`}>Run {again.data.id} is under way</Link>}
        {run.template_id !== null && (
          <Link to={`/templates/${run.template_id}`} className="btn btn-quiet">
            Open the template
          </Link>
        )}
        {mayRun && run.template_id !== null && (
          <Button
            disabled={again.isPending}
            onClick={() =>
              again.mutate({
                template_id: run.template_id!,
                use: "saved",
                format: run.format as "csv" | "xlsx" | "jsonl",
                answers: run.answers,
                purpose: run.purpose,
              })
            }
          >
            <Icon name="play" /> Run again
          </Button>
        )}
      </div>
      <main className="run-page">
        <div className="run-main">
          <section className="slab" aria-label="Stages">
            <Stages run={run} />
          </section>
          {active && (
            <section className="slab">
              <RunProgress run={run} />
            </section>
          )}
          <Trouble error={again.error} />
          {run.error && (
            <section className="slab wrong">
              <h2>Why it failed</h2>
              <p className="mb-0">{String(run.error.message)}</p>
            </section>
          )}
          {slip && (
            <>
              <section className="slab">
                <h2>Asked for as</h2>
                <p className="as-asked">{slip.sentence}</p>
              </section>
              {slip.findings.length > 0 && <Findings slip={slip} />}
              <Columns slip={slip} />
            </>
          )}
        </div>
        <aside className="run-side" aria-label="Files and proof">
          <Files run={run} />
          {slip && <Funnel slip={slip} />}
          <Why run={run} slip={slip} />
        </aside>
      </main>
    </>
  );
}

type Stage = { label: string; detail: string; state: "done" | "now" | "bad" | "wait" };

function stagesOf(run: Run): Stage[] {
  const over = run.status === "ready";
  const bad = run.status === "failed" || run.status === "cancelled";
  const counted = run.rows_announced !== null;
  const state = (done: boolean, now: boolean): Stage["state"] =>
    done ? "done" : now ? (bad ? "bad" : "now") : "wait";
  return [
    { label: "Asked for", detail: clock(run.asked_at), state: "done" },
    {
      label: "Counted",
      detail: run.rows_announced !== null ? plural(run.rows_announced, "row") : "",
      state: state(counted || over, run.status !== "asked"),
    },
    {
      label: "Written",
      detail: over
        ? `${plural(run.files.length, "file")}, ${seconds(run)}`
        : counted
          ? count(run.rows_written)
          : "",
      state: state(over, counted),
    },
    {
      label: bad
        ? run.status === "failed"
          ? "Failed"
          : "Cancelled"
        : run.delivered_to
          ? "In its folder"
          : "Ready",
      detail: run.finished_at ? clock(run.finished_at) : "",
      state: state(over, bad),
    },
  ];
}

function seconds(run: Run): string {
  if (!run.started_at || !run.finished_at) return "";
  return duration((new Date(run.finished_at).getTime() - new Date(run.started_at).getTime()) / 1000);
}

function Stages({ run }: { run: Run }) {
  return (
    <ol className="stages">
      {stagesOf(run).map((stage) => (
        <li key={stage.label} className={stage.state}>
          <span className="dot">
            {stage.state === "done" && <Icon name="check" label="done" />}
            {stage.state === "bad" && <Icon name="x" label="ended here" />}
          </span>
          <div className="fw-bold">{stage.label}</div>
          <div className="soft">{stage.detail || "\u00a0"}</div>
        </li>
      ))}
    </ol>
  );
}

function Files({ run }: { run: Run }) {
  return (
    <section>
      <h2>Files</h2>
      {run.files.length === 0 && <div className="soft">None{run.status === "ready" ? "" : " yet"}.</div>}
      <ul className="files">
        {run.files.map((file) => (
          <li key={file.id}>
            <a href={fileAddress(run.id, file.id)} download className="one-line">
              <Icon name={file.name.endsWith(".xlsx") ? "spreadsheet" : "csv"} />{" "}
              <span className="mono">{file.name}</span>
            </a>
            <a href={fileAddress(run.id, file.id)} download className="btn btn-quiet btn-sm">
              <Icon name="download" /> Download
            </a>
            <span className="soft small">
              {file.rows > 0 && <>{plural(file.rows, "row")} · </>}
              {size(file.size)}
            </span>
            <span className="digest">SHA-256 {file.sha256}</span>
          </li>
        ))}
      </ul>
      {run.delivered_to && (
        <div className="soft small">
          put into <span className="mono">{run.delivered_to.split("\n").join(", ")}</span>
        </div>
      )}
    </section>
  );
}

function Funnel({ slip }: { slip: Slip }) {
  const most = Math.max(...slip.tally.map((s) => s.rows), 1);
  return (
    <section>
      <h2>Rows, step by step</h2>
      <div className="funnel">
        {slip.tally.map((step, n) => (
          <div key={n}>
            <i style={{ width: `${(42 * step.rows) / most}%` }} />
            <span className="mono small">{count(step.rows)}</span>
            <span className="words soft one-line" title={step.words}>
              {step.words}
            </span>
          </div>
        ))}
      </div>
      <p className="small mt-2 mb-0">
        <Icon name="check" /> {count(slip.rows_announced)} announced, {count(slip.rows_written)} written
      </p>
    </section>
  );
}

function Why({ run, slip }: { run: Run; slip: Slip | null }) {
  const via =
    {
      hand: "by hand",
      once: "by hand, limited for once",
      round: "by a round",
      "command line": "from the command line",
    }[run.via] ?? run.via;
  return (
    <section>
      <h2>Who and when</h2>
      <div>
        {run.asked_by}, {via}
        {run.purpose && <div>personal data for: {run.purpose}</div>}
      </div>
      <div>as of {fullMoment(run.as_of)}</div>
      {slip && (
        <>
          <div>
            from {slip.source} ({slip.environment} data)
          </div>
          <div>snapshot of {fullMoment(slip.snapshot_at)}</div>
          <div>
            {slip.personal_fields.length
              ? `personal fields: ${slip.personal_fields.join(", ")}`
              : "no personal fields"}
          </div>
        </>
      )}
    </section>
  );
}

function Findings({ slip }: { slip: Slip }) {
  return (
    <section className="slab">
      <h2>Worth a look</h2>
      {slip.findings.map((f) => (
        <div key={f.what}>
          <b className="mono">{count(f.count)}</b> {f.what}
        </div>
      ))}
    </section>
  );
}

function Columns({ slip }: { slip: Slip }) {
  return (
    <section className="slab">
      <h2>Columns of the file</h2>
      <table className="board border-0">
        <thead>
          <tr>
            <th>Heading</th>
            <th className="text-end">Filled</th>
            <th className="text-end">Total</th>
            <th>First</th>
            <th>Last</th>
          </tr>
        </thead>
        <tbody>
          {slip.columns.map((c) => (
            <tr key={c.heading}>
              <td>{c.heading}</td>
              <td className="num">{slip.rows_written ? filled(slip.rows_written, c.blanks) : "—"}</td>
              <td className="num">{c.total ? exact(c.total) : ""}</td>
              <td className="mono small">{c.first?.replace("T", " ") ?? ""}</td>
              <td className="mono small">{c.last?.replace("T", " ") ?? ""}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Never 100 % while a cell is blank, and never 0 % while one is filled. */
function filled(rows: number, blanks: number): string {
  const share = (100 * (rows - blanks)) / rows;
  return `${share === 100 || share === 0 ? share : Math.min(99, Math.max(1, Math.round(share)))} %`;
}
