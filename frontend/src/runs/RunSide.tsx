import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answer, api, archiveAddress, fileAddress, newestAddress } from "../api";
import type { PastRun, Run } from "../api";
import { useShell } from "../shell";
import { Icon, Trouble, count, exact, fullMoment, plural, shortDay, size } from "../shared";
import { LookInto } from "./LookInto";
import { Trend } from "./Trend";
import type { Slip } from "./slip";
import { tr } from "../i18n";

const ROLES: Record<string, string> = {
  children: tr("its children"),
  dictionary: tr("what the columns mean"),
  metadata: tr("the same for programs"),
  findings: tr("what the checks found"),
  slip: tr("the slip"),
  archive: tr("everything in one"),
  form: tr("in a recipient’s form"),
  missing: tr("blank, and a recipient requires it"),
  schema: tr("how it is to be read"),
};

/** Files whose beginning and end can be shown. */
const LOOKED = /\.(csv|txt|jsonl?|xml|xsd|html|xlsx|ods|parquet|arrow)$/i;

/** Files that stand there at once. */
const LISTED = 8;

export function Files({ run }: { run: Run }) {
  const { session } = useShell();
  const [looking, setLooking] = useState<Run["files"][number] | null>(null);
  const send = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/runs/{run_id}/mail-to-me", { params: { path: { run_id: run.id } } })),
  });
  const [all, setAll] = useState(run.files.length <= LISTED + 2);
  const there = run.files.filter((f) => f.removed_at === null);
  const gone = run.files.length > 0 && there.length === 0;
  const packed = there.filter((f) => f.role !== "archive").length > 1;
  return (
    <section>
      <h2>{tr("Files")}</h2>
      {run.files.length === 0 && (
        <div className="soft">
          {tr("None{{status}}.", { status: run.status === "ready" ? "" : tr(" yet") })}
        </div>
      )}
      <ul className="files">
        {(all ? run.files : run.files.slice(0, LISTED)).map((file) => (
          <li key={file.id} className={file.removed_at ? "removed" : ""}>
            {file.removed_at ? (
              <span className="mono one-line">{file.name}</span>
            ) : (
              <a href={fileAddress(run.id, file.id)} download className="one-line" title={file.name}>
                <Icon name={iconOf(file.name)} /> <span className="mono">{file.name}</span>
              </a>
            )}
            <span className="num small">
              {file.rows > 0 ? count(file.rows) : ""} <span className="soft">{size(file.size)}</span>
            </span>
            {ROLES[file.role] && <span className="soft small">{ROLES[file.role]}</span>}
            {!file.removed_at && LOOKED.test(file.name) && (
              <button type="button" className="btn-link-plain small" onClick={() => setLooking(file)}>
                {tr("look into it")}
              </button>
            )}
            <details className="digest">
              <summary>{tr("SHA-256 {{sha256}}…", { sha256: file.sha256.slice(0, 12) })}</summary>
              {file.sha256}
            </details>
          </li>
        ))}
      </ul>
      {!all && (
        <button type="button" className="btn-link-plain small" onClick={() => setAll(true)}>
          {tr("and {{files}} more", { files: run.files.length - LISTED })}
        </button>
      )}
      <div className="soft small mt-1">
        {gone
          ? run.status === "discarded"
            ? tr("discarded; the slip stays")
            : tr("expired; the slip stays")
          : run.keep_until &&
            there.length > 0 && (
              <>{tr("kept until {{keep_until}}", { keep_until: shortDay(run.keep_until) })}</>
            )}
        {packed && (
          <>
            {" · "}
            <a href={archiveAddress(run.id)} download>
              {tr("all as one zip")}
            </a>
          </>
        )}
      </div>
      {looking && <LookInto run={run.id} file={looking} onClose={() => setLooking(null)} />}
      {session.mail && run.status === "ready" && there.length > 0 && (
        <div className="small mt-1">
          {send.isSuccess ? (
            <span className="soft">{tr("sent to {{email}}", { email: session.person.email })}</span>
          ) : (
            <button
              type="button"
              className="btn-link-plain"
              disabled={send.isPending}
              onClick={() => send.mutate()}
            >
              <Icon name="send" /> {tr("Send it to me")}
            </button>
          )}
          <Trouble error={send.error} />
        </div>
      )}
      {run.template_id !== null && run.status === "ready" && there.length > 0 && !run.bundle && (
        <div className="soft small">
          {tr("for programs: the newest good file is always at")}{" "}
          <a className="mono" href={newestAddress(run.template_id)}>
            {tr("…/templates/{{template_id}}/newest", { template_id: run.template_id })}
          </a>
        </div>
      )}
      <Delivered words={tr("put into")} places={run.delivered_to.filter((p) => !p.includes("@"))} />
      <Delivered words={tr("sent by mail to")} places={run.delivered_to.filter((p) => p.includes("@"))} />
    </section>
  );
}

function Delivered({ words, places }: { words: string; places: string[] }) {
  if (places.length === 0) return null;
  return (
    <div className="soft small">
      {words} <span className="mono">{places.join(", ")}</span>
    </div>
  );
}

function iconOf(name: string): "spreadsheet" | "csv" | "fileText" | "archive" {
  if (name.endsWith(".xlsx")) return "spreadsheet";
  if (name.endsWith(".zip")) return "archive";
  return name.endsWith(".csv") ? "csv" : "fileText";
}

export function Funnel({ slip }: { slip: Slip }) {
  const most = Math.max(...slip.tally.map((s) => s.rows), 1);
  return (
    <section>
      <h2>{tr("Rows, step by step")}</h2>
      {slip.tally.length > 0 && (
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
      )}
      {slip.parts?.map((part) => (
        <div key={part.template} className="d-flex justify-content-between small">
          <span>{part.template}</span> <span className="mono">{count(part.rows_written)}</span>
        </div>
      ))}
      <p className="small mt-2 mb-0">
        <Icon name="check" />{" "}
        {tr("{{rows_announced}} announced, {{rows_written}} written", {
          rows_announced: count(slip.rows_announced),
          rows_written: count(slip.rows_written),
        })}
      </p>
    </section>
  );
}

/** The rows of the last runs as bars, this one standing out; the line is what is usual. */
export function PastBars({ run, past }: { run: Run; past: PastRun[] }) {
  if (past.length < 2) return null;
  const most = Math.max(...past.map((p) => p.rows), 1);
  const others = past
    .filter((p) => p.id !== run.id)
    .map((p) => p.rows)
    .sort((a, b) => a - b);
  const usual = others.length ? others[Math.floor(others.length / 2)]! : null;
  return (
    <section>
      <h2>{tr("Last {{past}} runs", { past: past.length })}</h2>
      <div className="past-bars">
        {usual !== null && <i className="usual" style={{ bottom: `${(100 * usual) / most}%` }} />}
        {past.map((p) => (
          <Link
            key={p.id}
            to={`/runs/${p.id}`}
            className={p.id === run.id ? (run.verdict && run.verdict !== "note" ? "here odd" : "here") : ""}
            style={{ height: `${Math.max(2, (100 * p.rows) / most)}%` }}
            title={tr("run {{id}}, {{as_of}}: {{rows}}", {
              id: p.id,
              as_of: fullMoment(p.as_of),
              rows: plural(p.rows, "row"),
            })}
          >
            <span className="visually-hidden">
              {tr("run {{id}}: {{rows}}", { id: p.id, rows: plural(p.rows, "row") })}
            </span>
          </Link>
        ))}
      </div>
      {usual !== null && (
        <div className="soft small">{tr("usual: {{usual}}", { usual: plural(usual, "row") })}</div>
      )}
    </section>
  );
}

/** Of each column: how full it is, its total, its dates, and how these went over the last runs. */
export function Columns({ slip, past, run }: { slip: Slip; past: PastRun[]; run: Run }) {
  const earlier = past.filter((p) => p.id !== run.id);
  const lastOf = (heading: string) => earlier.at(-1)?.columns.find((c) => c.heading === heading);
  return (
    <section className="slab">
      <h2>{tr("Columns of the file")}</h2>
      <table className="board border-0">
        <thead>
          <tr>
            <th>{tr("Heading")}</th>
            <th className="text-end">{tr("Filled")}</th>
            <th className="text-end">{tr("Total")}</th>
            {earlier.length > 0 && <th className="text-end">{tr("The run before")}</th>}
            {earlier.length > 1 && <th>{tr("Trend")}</th>}
            <th>{tr("First")}</th>
            <th>{tr("Last")}</th>
          </tr>
        </thead>
        <tbody>
          {slip.columns.map((c) => (
            <tr key={c.heading}>
              <td>{c.heading}</td>
              <td className="num">{slip.rows_written ? filled(slip.rows_written, c.blanks) : "—"}</td>
              <td className="num">{c.total ? exact(c.total) : ""}</td>
              {earlier.length > 0 && (
                <td className="num soft">
                  {lastOf(c.heading)?.total
                    ? exact(lastOf(c.heading)!.total!)
                    : lastOf(c.heading)
                      ? filled(earlier.at(-1)!.rows, lastOf(c.heading)!.blanks)
                      : tr("new")}
                </td>
              )}
              {earlier.length > 1 && (
                <td>
                  <Trend heading={c.heading} past={past} total={c.total !== undefined} />
                </td>
              )}
              <td className="mono small text-nowrap">{c.first?.replace("T", " ").slice(0, 16) ?? ""}</td>
              <td className="mono small text-nowrap">{c.last?.replace("T", " ").slice(0, 16) ?? ""}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Never 100 % while a cell is blank, and never 0 % while one is filled. */
function filled(rows: number, blanks: number): string {
  if (!rows) return "—";
  const share = (100 * (rows - blanks)) / rows;
  return `${share === 100 || share === 0 ? share : Math.min(99, Math.max(1, Math.round(share)))} %`;
}

const VIA: Record<string, string> = {
  hand: tr("by hand"),
  once: tr("by hand, limited for once"),
  round: tr("by a round"),
  script: tr("by a program"),
  "command line": tr("from the command line"),
};

export function Why({ run, slip }: { run: Run; slip: Slip | null }) {
  return (
    <section>
      <h2>{tr("Who and why")}</h2>
      <div>
        {run.asked_by}, {VIA[run.via] ?? run.via}
        {run.purpose && run.personal > 0 && (
          <div>{tr("personal data for: {{purpose}}", { purpose: run.purpose })}</div>
        )}
      </div>
      <div>{tr("as of {{as_of}}", { as_of: fullMoment(run.as_of) })}</div>
      {slip && (
        <>
          <div>
            {tr("from {{source}} ({{environment}} data){{scope}}", {
              source: slip.source,
              environment: slip.environment,
              scope:
                slip.scope &&
                tr(", only {{records}} {{names}}", {
                  records: slip.scope.records,
                  names: (slip.scope.names?.length ? slip.scope.names : slip.scope.values).join(", "),
                }),
            })}
          </div>
          <div>{tr("snapshot of {{snapshot_at}}", { snapshot_at: fullMoment(slip.snapshot_at) })}</div>
          <div>
            {slip.personal_fields.length
              ? tr("personal fields: {{personal_fields}}", {
                  personal_fields: slip.personal_fields.join(", "),
                })
              : tr("no personal fields")}
          </div>
        </>
      )}
      {run.reviewed_by && (
        <div className="mt-2">
          <b>{run.status === "discarded" ? tr("Discarded") : tr("Released")}</b>{" "}
          {tr("by {{reviewed_by}}", { reviewed_by: run.reviewed_by })}
          {run.reviewed_at && <>, {fullMoment(run.reviewed_at)}</>}: “{run.review_reason}”
        </div>
      )}
    </section>
  );
}
