import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api } from "../api";
import type { TemplateRow } from "../api";
import { RunDialog, RunStatus, useStartRun } from "../runs";
import { useMay, usePreferences } from "../shell";
import { Icon, Trouble, count, plural, shortMoment } from "../shared";
import { More } from "./TemplateMenu";
import { tr } from "../i18n";

export function Row({ template }: { template: TemplateRow }) {
  const mayRun = useMay("run");
  const mayDesign = useMay("design");
  const last = template.last_run;
  const client = useQueryClient();
  const pin = useMutation({
    mutationFn: (pinned: boolean) =>
      answer(
        api.PUT("/api/v1/templates/{template_id}/pin", {
          params: { path: { template_id: template.id } },
          body: { pinned },
        }),
      ),
    onSettled: () => client.invalidateQueries({ queryKey: ["templates"] }),
  });
  return (
    <tr>
      <td>
        <button
          type="button"
          className={`pin ${template.pinned ? "on" : ""}`}
          aria-pressed={template.pinned}
          aria-label={tr("Pin {{template}}", { template: template.name })}
          onClick={() => pin.mutate(!template.pinned)}
        >
          <Icon name={template.pinned ? "pin" : "pinEmpty"} />
        </button>
      </td>
      <td>
        <Link to={`/templates/${template.id}${mayDesign ? "" : "/run"}`} className="name d-block one-line">
          {template.name}
        </Link>
        <div className="soft one-line" title={template.sentence}>
          {template.sentence}
        </div>
        {(template.broken ||
          template.labels.length > 0 ||
          template.standing !== "shared" ||
          template.source_title) && (
          <div className="d-flex gap-2 mt-1">
            {template.broken && (
              <span className="tag failed one-line" title={template.broken}>
                <Icon name="exclamation" /> {tr("broken: {{broken}}", { broken: template.broken })}
              </span>
            )}
            {template.standing === "house" && <span className="tag ready">{tr("house standard")}</span>}
            {template.standing === "own" && (
              <span className="tag">{template.mine ? tr("only mine") : tr("shared with some")}</span>
            )}
            {template.source_title && <span className="tag">{template.source_title}</span>}
            {template.labels.map((label) => (
              <span key={label} className="tag">
                {label}
              </span>
            ))}
          </div>
        )}
      </td>
      <td className="wide-only">
        <Bars rows={template.rows} />
      </td>
      <td>
        {last ? (
          <>
            <Link to={`/runs/${last.id}`}>
              <RunStatus run={last} />
            </Link>
            <div className="soft small">{shortMoment(last.finished_at ?? last.asked_at)}</div>
          </>
        ) : (
          <span className="soft">{tr("never run")}</span>
        )}
      </td>
      <td>
        {template.next_at ? (
          <>
            <div>{shortMoment(template.next_at)}</div>
            <div
              className="soft small one-line"
              title={tr("{{next_words}}, into {{next_to}}", {
                next_words: template.next_words,
                next_to: template.next_to,
              })}
            >
              {template.next_to || template.next_words}
            </div>
          </>
        ) : template.next_words ? (
          <span className="soft">{template.next_words}</span>
        ) : (
          <span className="soft">{tr("by hand")}</span>
        )}
      </td>
      <td className="text-end text-nowrap">
        {mayRun &&
          (template.asks > 0 || template.personal ? (
            <Link
              className="btn btn-quiet"
              to={`/templates/${template.id}/run`}
              aria-label={tr("Run {{template}}: it asks something first", { template: template.name })}
            >
              <Icon name="play" /> {tr("Run…")}
            </Link>
          ) : (
            <RunButton template={template} />
          ))}
        <More template={template} />
      </td>
    </tr>
  );
}

/** Runs a template that asks nothing: the first press says what will be in the file, unless one was told not to. */
function RunButton({ template }: { template: TemplateRow }) {
  const run = useStartRun();
  const { preferences, change } = usePreferences();
  const [asking, setAsking] = useState(false);
  const quiet = preferences.quiet_runs ?? [];
  const start = (purpose?: string) =>
    run.mutate({ template_id: template.id, use: "saved", purpose }, { onSuccess: () => setAsking(false) });
  return (
    <>
      <Button
        variant="quiet"
        disabled={run.isPending || run.isSuccess}
        onClick={() => (quiet.includes(template.id) ? start() : setAsking(true))}
        aria-label={tr("Run {{template}}", { template: template.name })}
      >
        <Icon name="play" /> {run.isSuccess ? tr("Asked") : tr("Run")}
      </Button>
      {asking ? (
        <RunDialog
          templateId={template.id}
          use="saved"
          busy={run.isPending}
          error={run.error}
          onClose={() => setAsking(false)}
          onRun={(_, purpose, atOnce) => {
            if (atOnce) change({ quiet_runs: [...quiet, template.id].slice(-200) });
            start(purpose);
          }}
        />
      ) : (
        <Trouble error={run.error} />
      )}
    </>
  );
}

function Bars({ rows }: { rows: number[] }) {
  if (rows.length === 0) return <span className="soft">—</span>;
  const most = Math.max(...rows, 1);
  return (
    <>
      <div className="bars" aria-hidden>
        {rows.map((r, n) => (
          <i key={n} style={{ height: `${(100 * r) / most}%` }} title={count(r)} />
        ))}
      </div>
      <div className="small soft">{plural(rows.at(-1)!, "row")}</div>
    </>
  );
}
