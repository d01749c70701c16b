import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown, Form } from "react-bootstrap";
import { Link, useNavigate, useParams } from "react-router";
import { LEDGER, answer, api, useSourceOf } from "../api";
import { Deliveries } from "../recipients";
import type { Run } from "../api";
import { useMay, useShell } from "../shell";
import { FormDialog, Icon, Trouble, count } from "../shared";
import { Against } from "./Against";
import { NotIncluded } from "./NotIncluded";
import { RunProgress } from "./RunProgress";
import { Columns, Files, Funnel, PastBars, Why } from "./RunSide";
import { RunStatus } from "./RunStatus";
import { Spoken } from "./Spoken";
import { Stages } from "./Stages";
import { isActive, isMade, slipOf } from "./slip";
import type { Slip } from "./slip";
import { useStartRun } from "./useStartRun";

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
    return (
      <main className="body">
        <Trouble error={known.error} />
      </main>
    );
  }
  const run: Run = {
    ...known.data,
    ...news.runs[id],
    slip: known.data.slip,
    findings: known.data.findings,
    may_review: known.data.may_review,
  };
  const slip = slipOf(run);
  const history = past.data ?? [];
  return (
    <>
      <div className="strip">
        <Link to="/runs" aria-label="Back to the runs">
          <Icon name="chevronLeft" />
        </Link>
        <h1>{run.name}</h1>
        <span className="tag">
          run {count(run.id)} · {what(run)}
        </span>
        <RunStatus run={run} />
        <span className="fill" />
        {again.data && <Link to={`/runs/${again.data.id}`}>Run {again.data.id} is under way</Link>}
        {run.template_id !== null && (
          <Link to={`/templates/${run.template_id}${mayDesign ? "" : "/run"}`} className="btn btn-quiet">
            Open the template
          </Link>
        )}
        {mayDesign &&
          !run.bundle &&
          run.source !== LEDGER &&
          (run.template_id === null || run.via === "once") && (
            <Button variant="quiet" disabled={keep.isPending} onClick={() => keep.mutate()}>
              Keep as a template
            </Button>
          )}
        {mayRun && <Again run={run} again={again} />}
        {run.may_review && (run.status === "held" || run.status === "ready") && (
          <Button variant="quiet" className="text-danger" onClick={() => setDeciding("discard")}>
            Discard
          </Button>
        )}
        {run.may_review && run.status === "held" && (
          <Button onClick={() => setDeciding("release")}>
            <Icon name="send" /> {run.via === "round" ? "Release to its folder" : "Release"}
          </Button>
        )}
      </div>
      <main className="run-page">
        <div className="run-main">
          <section className="slab" aria-label="Stages">
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
              <h2>{run.status === "held" ? "It could not be delivered" : "Why it failed"}</h2>
              <p className="mb-0">{String(run.error.message)}</p>
            </section>
          )}
          {slip && (
            <>
              <Spoken run={run} />
              {isMade(run) && <Against run={run} past={history} />}
              <section className="slab">
                <h2>Asked for as</h2>
                <p className="as-asked">{slip.sentence}</p>
                <NotIncluded missed={slip.not_included} />
              </section>
              {slip.findings.length > 0 && <Noted slip={slip} />}
              {slip.columns.length > 0 && <Columns slip={slip} past={history} run={run} />}
            </>
          )}
        </div>
        <aside className="run-side" aria-label="Files and proof">
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
  if (run.bundle) return "a bundle";
  if (run.source === LEDGER) return "of the ledger";
  return run.version ? `version ${run.version}` : "unsaved draft or document";
}

/** Once more: on what the template is now, or exactly what was asked for then. */
function Again({ run, again }: { run: Run; again: ReturnType<typeof useStartRun> }) {
  const common = { use: "saved" as const, again: run.id, purpose: run.purpose };
  const was = () => again.mutate({ ...common, as_it: "was" });
  if (run.template_id === null)
    return (
      <Button variant="quiet" disabled={again.isPending} onClick={was}>
        <Icon name="play" /> Run again
      </Button>
    );
  return (
    <Dropdown>
      <Dropdown.Toggle variant="quiet" disabled={again.isPending}>
        Run again
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
          as the template is now
          <div className="soft small">windows count from today</div>
        </Dropdown.Item>
        <Dropdown.Item as="button" onClick={was}>
          as it was
          <div className="soft small">
            {run.version ? `version ${run.version}, ` : ""}the same answers and dates, on today’s records
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
      title={act === "release" ? `Release run ${run.id}?` : `Discard run ${run.id}?`}
      act={act === "release" ? "Release it" : "Discard it"}
      ready={reason.trim() !== ""}
      busy={decide.isPending}
      error={decide.error}
      onAct={() => decide.mutate()}
      onClose={onClose}
    >
      <p className="mb-0">
        {act === "release"
          ? run.via === "round"
            ? "Its files go into the round’s folder, as they are."
            : "It becomes the newest good run of its template."
          : `Its ${run.files.length === 1 ? "file is" : "files are"} removed for good. The run and its slip stay in the ledger.`}
      </p>
      <Form.Group controlId="review-reason">
        <Form.Label>Why</Form.Label>
        <Form.Control
          autoFocus
          value={reason}
          maxLength={500}
          placeholder={
            act === "release" ? "What was looked at, and why it is right" : "What is wrong with it"
          }
          onChange={(e) => setReason(e.target.value)}
        />
        <Form.Text>Stands in the ledger with your name.</Form.Text>
      </Form.Group>
    </FormDialog>
  );
}

function Noted({ slip }: { slip: Slip }) {
  return (
    <section className="slab">
      <h2>Notes</h2>
      {slip.findings.map((f) => (
        <div key={f.what}>
          <b className="mono">{count(f.count)}</b> {f.what}
        </div>
      ))}
    </section>
  );
}
