import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown, Form } from "react-bootstrap";
import { Link, useNavigate, useParams } from "react-router";
import { LEDGER, answer, api, useSourceOf } from "../api";
import { Deliveries } from "../recipients";
import type { Run } from "../api";
import { useMay, useShell } from "../shell";
import { FormDialog, Icon, NothingHere, Trouble, count } from "../shared";
import { Against } from "./Against";
import { NotIncluded } from "./NotIncluded";
import { RunProgress } from "./RunProgress";
import { Columns, Files, Funnel, PastBars, Why } from "./RunSide";
import { RunStatus } from "./RunStatus";
import { Spoken } from "./Spoken";
import { Stages } from "./Stages";
import { isActive, isMade } from "./slip";
import type { Slip } from "./slip";
import { useStartRun } from "./useStartRun";
import { tr } from "../i18n";

/** Runs in the row of bars. */
const PAST = 8;

/** One run: how it went, what it made, and the proof. */
export function RunPage() {
  const id = Number(useParams().id);
  const { news } = useShell();
  const mayRun = useMay("run");
  const mayDesign = useMay("design");
  const go = useNavigate();
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/templates/from-run/{run_id}", { params: { path: { run_id: id } } })),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      void go(`/templates/${made.id}`);
    },
  });
  const again = useStartRun();
  const [deciding, setDeciding] = useState<"release" | "discard" | null>(null);
  const known = useQuery({
    queryKey: ["run", id],
    queryFn: () => answer(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: id } } })),
  });
  const past = useQuery({
    queryKey: ["run", id, "history", known.data?.status],
    enabled: known.data !== undefined && known.data.template_id !== null && isMade(known.data),
    queryFn: () =>
      answer(
        api.GET("/api/v1/runs/{run_id}/history", {
          params: { path: { run_id: id }, query: { count: PAST } },
        }),
      ),
  });
  useSourceOf(known.data && known.data.source !== LEDGER ? known.data.source : undefined);
  if (!known.data) {
    return <NothingHere error={known.error} back="/runs" words={tr("Back to the runs")} />;
  }
  const run: Run = {
    ...known.data,
    ...news.runs[id],
    slip: known.data.slip,
    findings: known.data.findings,
    may_review: known.data.may_review,
  };
  const slip = run.slip ?? null;
  const history = past.data ?? [];
  return (
    <>
      <div className="strip">
        <Link to="/runs" aria-label={tr("Back to the runs")}>
          <Icon name="chevronLeft" />
        </Link>
        <h1>{run.name}</h1>
        <span className="tag">{tr("run {{id}} · {{run}}", { id: count(run.id), run: what(run) })}</span>
        <RunStatus run={run} />
        <span className="fill" />
        {again.data && (
          <Link to={`/runs/${again.data.id}`}>{tr("Run {{id}} is under way", { id: again.data.id })}</Link>
        )}
        {run.template_id !== null && (
          <Link to={`/templates/${run.template_id}${mayDesign ? "" : "/run"}`} className="btn btn-quiet">
            {tr("Open the template")}
          </Link>
        )}
        {mayDesign &&
          !run.bundle &&
          run.source !== LEDGER &&
          (run.template_id === null || run.via === "once") && (
            <Button variant="quiet" disabled={keep.isPending} onClick={() => keep.mutate()}>
              {tr("Keep as a template")}
            </Button>
          )}
        {mayRun && <Again run={run} again={again} />}
        {run.may_review && (run.status === "held" || run.status === "ready") && (
          <Button variant="quiet" className="text-danger" onClick={() => setDeciding("discard")}>
            {tr("Discard")}
          </Button>
        )}
        {run.may_review && run.status === "held" && (
          <Button onClick={() => setDeciding("release")}>
            <Icon name="send" /> {run.via === "round" ? tr("Release to its folder") : tr("Release")}
          </Button>
        )}
      </div>
      <main className="run-page">
        <div className="run-main">
          <section className="slab" aria-label={tr("Stages")}>
            <Stages run={run} />
          </section>
          {isActive(run) && (
            <section className="slab">
              <RunProgress run={run} />
            </section>
          )}
          <Trouble error={again.error ?? keep.error} />
          {run.error && (
            <section className="slab wrong">
              <h2>{run.status === "held" ? tr("It could not be delivered") : tr("Why it failed")}</h2>
              <p className="mb-0">{run.error.message}</p>
            </section>
          )}
          {slip && (
            <>
              <Spoken run={run} />
              {isMade(run) && <Against run={run} past={history} />}
              <section className="slab">
                <h2>{tr("Asked for as")}</h2>
                <p className="as-asked">{slip.sentence}</p>
                <NotIncluded missed={slip.not_included} />
              </section>
              {slip.findings.length > 0 && <Noted slip={slip} />}
              {slip.columns.length > 0 && <Columns slip={slip} past={history} run={run} />}
            </>
          )}
        </div>
        <aside className="run-side" aria-label={tr("Files and proof")}>
          <Files run={run} />
          <Deliveries run={run.id} />
          {slip && <Funnel slip={slip} />}
          <PastBars run={run} past={history} />
          <Why run={run} slip={slip} />
        </aside>
      </main>
      {deciding && <Decide act={deciding} run={run} onClose={() => setDeciding(null)} />}
    </>
  );
}

function what(run: Run): string {
  if (run.bundle) return tr("a bundle");
  if (run.source === LEDGER) return tr("of the ledger");
  return run.version ? tr("version {{version}}", { version: run.version }) : tr("unsaved draft or document");
}

/** Once more: on what the template is now, or exactly what was asked for then. */
function Again({ run, again }: { run: Run; again: ReturnType<typeof useStartRun> }) {
  const common = { use: "saved" as const, again: run.id, purpose: run.purpose };
  const was = () => again.mutate({ ...common, as_it: "was" });
  if (run.template_id === null)
    return (
      <Button variant="quiet" disabled={again.isPending} onClick={was}>
        <Icon name="play" /> {tr("Run again")}
      </Button>
    );
  return (
    <Dropdown>
      <Dropdown.Toggle variant="quiet" disabled={again.isPending}>
        {tr("Run again")}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Item
          as="button"
          onClick={() =>
            again.mutate({
              ...common,
              as_it: "is",
              format: run.format as "csv",
              answers: run.answers,
            })
          }
        >
          {tr("as the template is now")}
          <div className="soft small">{tr("windows count from today")}</div>
        </Dropdown.Item>
        <Dropdown.Item as="button" onClick={was}>
          {tr("as it was")}
          <div className="soft small">
            {tr("{{version}}the same answers and dates, on today’s records", {
              version: run.version ? tr("version {{version}}, ", { version: run.version }) : "",
            })}
          </div>
        </Dropdown.Item>
      </Dropdown.Menu>
    </Dropdown>
  );
}

function Decide({ act, run, onClose }: { act: "release" | "discard"; run: Run; onClose: () => void }) {
  const client = useQueryClient();
  const [reason, setReason] = useState("");
  const decide = useMutation({
    mutationFn: () => {
      const params = { path: { run_id: run.id } };
      const body = { reason: reason.trim() };
      return answer(
        act === "release"
          ? api.POST("/api/v1/runs/{run_id}/release", { params, body })
          : api.POST("/api/v1/runs/{run_id}/discard", { params, body }),
      );
    },
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["run", run.id] });
      void client.invalidateQueries({ queryKey: ["runs"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={
        act === "release"
          ? tr("Release run {{id}}?", { id: run.id })
          : tr("Discard run {{id}}?", { id: run.id })
      }
      act={act === "release" ? tr("Release it") : tr("Discard it")}
      ready={reason.trim() !== ""}
      busy={decide.isPending}
      error={decide.error}
      onAct={() => decide.mutate()}
      onClose={onClose}
    >
      <p className="mb-0">
        {act === "release"
          ? run.via === "round"
            ? tr("Its files go into the round’s folder, as they are.")
            : tr("It becomes the newest good run of its template.")
          : tr("Its files are removed for good. The run and its slip stay in the ledger.", {
              count: run.files.length,
            })}
      </p>
      <Form.Group controlId="review-reason">
        <Form.Label>{tr("Why")}</Form.Label>
        <Form.Control
          autoFocus
          value={reason}
          maxLength={500}
          placeholder={
            act === "release" ? tr("What was looked at, and why it is right") : tr("What is wrong with it")
          }
          onChange={(e) => setReason(e.target.value)}
        />
        <Form.Text>{tr("Stands in the ledger with your name.")}</Form.Text>
      </Form.Group>
    </FormDialog>
  );
}

function Noted({ slip }: { slip: Slip }) {
  return (
    <section className="slab">
      <h2>{tr("Notes")}</h2>
      {slip.findings.map((f) => (
        <div key={f.what}>
          <b className="mono">{count(f.count)}</b> {f.what}
        </div>
      ))}
    </section>
  );
}
