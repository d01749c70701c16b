import { Link } from "react-router";
import { LEDGER, archiveAddress, fileAddress } from "../api";
import type { Run } from "../api";
import { SortHead, Icon, count, duration, formatName, plural, shortMoment, size } from "../shared";
import type { Sorting } from "../shared";
import { RunStatus } from "./RunStatus";
import { OfSource } from "../shell";
import { isMade } from "./slip";
import { tr } from "../i18n";

/** What may have become of what a run sent. */
export const SENT_WORDS = {
  arrived: tr("arrived"),
  under_way: tr("under way"),
  failed: tr("not delivered"),
  given_up: tr("given up"),
} as const;

/** How many recipients a run's files arrived with, by each of their ways, and what else became of them. */
function sentWords(sent: NonNullable<Run["sent"]>): string {
  const of = sent.arrived + sent.under_way + sent.failed + sent.given_up;
  const rest = (["under_way", "failed", "given_up"] as const)
    .filter((state) => sent[state] > 0)
    .map((state) => `${count(sent[state])} ${SENT_WORDS[state]}`);
  return [
    tr("arrived with {{arrived}} of {{of}}", { arrived: count(sent.arrived), of: count(of) }),
    ...rest,
  ].join(" · ");
}

export type SortBy = "number" | "name" | "asked_by" | "rows" | "status" | "checks";

interface TableProps {
  runs: Run[];
  sorting: Sorting<SortBy>;
  onSort: (sorting: Sorting<SortBy>) => void;
}

/** The runs, a line each. */
export function LedgerTable({ runs, ...sorts }: TableProps) {
  return (
    <table className="board">
      <thead>
        <tr>
          <SortHead name="number" down {...sorts}>
            {tr("Run no.")}
          </SortHead>
          <SortHead name="name" {...sorts}>
            {tr("Template")}
          </SortHead>
          <SortHead name="asked_by" {...sorts}>
            {tr("Asked by")}
          </SortHead>
          <th>{tr("When")}</th>
          <SortHead name="rows" down className="text-end" {...sorts}>
            {tr("Rows")}
          </SortHead>
          <SortHead name="status" {...sorts}>
            {tr("Status")}
          </SortHead>
          <th>{tr("File")}</th>
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
              </Link>{" "}
              {run.personal > 0 && <Icon name="shield" label={tr("personal data")} />}
              <div className="soft small">
                {whatOf(run)}
                <OfSource source={run.source} />
              </div>
            </td>
            <td>{run.asked_by}</td>
            <td className="text-nowrap">
              {shortMoment(run.asked_at)}
              <div className="soft small">{took(run)}</div>
            </td>
            <td className="num">{isMade(run) ? count(run.rows_written) : "—"}</td>
            <td>
              <RunStatus run={run} />
              {run.objections > 0 && (
                <div className="soft small">
                  {tr("{{objections}} of its checks", { objections: plural(run.objections, "objection") })}
                </div>
              )}
              {run.sent && <div className="soft small">{sentWords(run.sent)}</div>}
              {run.error && (
                <div className="soft small one-line" style={{ maxWidth: 260 }} title={run.error.message}>
                  {run.error.message}
                </div>
              )}
            </td>
            <td className="text-nowrap">
              <FileOf run={run} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function FileOf({ run }: { run: Run }) {
  const there = run.files.filter((f) => f.removed_at === null);
  const data = there.filter((f) => f.role === "data" || f.role === "archive");
  const bytes = there.reduce((n, f) => n + f.size, 0);
  if (!there.length) return <span className="soft">{run.files.length ? tr("no longer kept") : ""}</span>;
  if (there.length === 1 || data.length === 1)
    return (
      <a href={fileAddress(run.id, (data[0] ?? there[0]!).id)} download title={(data[0] ?? there[0]!).name}>
        <Icon name="download" /> {formatName(run.format)}{" "}
        <span className="soft">{size((data[0] ?? there[0]!).size)}</span>
      </a>
    );
  return (
    <a href={archiveAddress(run.id)} download>
      <Icon name="archive" /> {tr("{{there}} files", { there: there.length })}{" "}
      <span className="soft">{size(bytes)}</span>
    </a>
  );
}

function whatOf(run: Run): string {
  if (run.bundle) return tr("several in one");
  if (run.source === LEDGER) return tr("the ledger itself");
  return run.version ? tr("version {{version}}", { version: run.version }) : tr("unsaved draft or document");
}

function took(run: Run): string {
  if (!run.finished_at || !run.started_at) return "";
  return tr("took {{getTime}}", {
    getTime: duration((new Date(run.finished_at).getTime() - new Date(run.started_at).getTime()) / 1000),
  });
}
