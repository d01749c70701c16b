import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown, Modal } from "react-bootstrap";
import { Link, useNavigate, useSearchParams } from "react-router";
import { answer, api } from "../api";
import type { TemplateRow } from "../api";
import { RunStatus, useStartRun } from "../runs";
import { useMay } from "../shell";
import { Icon, Trouble, count, plural, shortMoment } from "../shared";
import { NewTemplate } from "./NewTemplate";

/** The library: every template as a sentence, with its last runs and its next. */
export function Library() {
  const [params, setParams] = useSearchParams();
  const [creating, setCreating] = useState(false);
  const mayDesign = useMay("design");
  const templates = useQuery({
    queryKey: ["templates"],
    queryFn: () => answer(api.GET("/api/v1/templates")),
  });
  const all = templates.data ?? [];
  const search = params.get("q") ?? "";
  const view = params.get("view") ?? "all";
  const shown = all.filter((t) => fits(t, view) && matches(t, search));
  const set = (name: string, value: string) =>
    setParams(
      (known) => {
        const next = new URLSearchParams(known);
        if (value && value !== "all") next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );

  return (
    <>
      <div className="strip">
        <h1>Templates</h1>
        <span className="soft">
          {count(shown.length)} shown of {count(all.length)}
        </span>
        <span className="fill" />
        {mayDesign && (
          <Button onClick={() => setCreating(true)}>
            <Icon name="plus" /> New template
          </Button>
        )}
      </div>
      <main className="body">
        <div className="library">
          <Sieve templates={all} view={view} onChange={(v) => set("view", v)} />
          <div>
            <div className="search mb-2" style={{ maxWidth: 340 }}>
              <Icon name="search" />
              <input
                aria-label="Search templates"
                placeholder="Name, person or word in the sentence"
                value={search}
                onChange={(e) => set("q", e.target.value)}
              />
            </div>
            <Trouble error={templates.error} />
            {templates.isSuccess && all.length === 0 && (
              <div className="nothing slab">
                A template says once which records, which fields and which form a list has. Make the first
                one.
              </div>
            )}
            {all.length > 0 && shown.length === 0 && (
              <div className="nothing slab">No template fits this search.</div>
            )}
            {shown.length > 0 && <Rows templates={shown} />}
          </div>
        </div>
      </main>
      {creating && <NewTemplate onClose={() => setCreating(false)} />}
    </>
  );
}

const VIEWS: Record<string, (t: TemplateRow) => boolean> = {
  all: () => true,
  mine: (t) => t.mine,
  planned: (t) => t.next_at !== null,
  unsaved: (t) => t.version === 0,
  failed: (t) => t.last_run?.status === "failed",
};

function fits(t: TemplateRow, view: string): boolean {
  return view.startsWith("records:") ? t.records === view.slice(8) : (VIEWS[view] ?? VIEWS.all!)(t);
}

function matches(t: TemplateRow, search: string): boolean {
  const hay = `${t.name} ${t.sentence} ${t.owner}`.toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((w) => hay.includes(w));
}

function Sieve({
  templates,
  view,
  onChange,
}: {
  templates: TemplateRow[];
  view: string;
  onChange: (view: string) => void;
}) {
  const records = [...new Map(templates.map((t) => [t.records, t.records_label || t.records]))].sort((a, b) =>
    a[1].localeCompare(b[1]),
  );
  const entry = (key: string, label: string) => (
    <button key={key} type="button" aria-pressed={view === key} onClick={() => onChange(key)}>
      {label} <span className="soft">{templates.filter((t) => fits(t, key)).length}</span>
    </button>
  );
  return (
    <nav className="sieve" aria-label="Which templates">
      {entry("all", "All I may use")}
      {entry("mine", "Mine")}
      {entry("planned", "With a round")}
      <h2>Needs a look</h2>
      {entry("failed", "Last run failed")}
      {entry("unsaved", "Never saved")}
      <h2>Records</h2>
      {records.map(([name, label]) => entry(`records:${name}`, label))}
    </nav>
  );
}

function Rows({ templates }: { templates: TemplateRow[] }) {
  return (
    <table className="board" style={{ tableLayout: "fixed" }}>
      <thead>
        <tr>
          <th>Template</th>
          <th style={{ width: 120 }}>Rows, last runs</th>
          <th style={{ width: 150 }}>Last run</th>
          <th style={{ width: 150 }}>Next</th>
          <th style={{ width: 138 }}>
            <span className="visually-hidden">Actions</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {templates.map((t) => (
          <Row key={t.id} template={t} />
        ))}
      </tbody>
    </table>
  );
}

function Row({ template }: { template: TemplateRow }) {
  const mayRun = useMay("run");
  const run = useStartRun();
  const last = template.last_run;
  return (
    <tr>
      <td>
        <Link to={`/templates/${template.id}`} className="name d-block one-line">
          {template.name}
        </Link>
        <div className="soft one-line" title={template.sentence}>
          {template.sentence}
        </div>
      </td>
      <td>
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
          <span className="soft">never run</span>
        )}
      </td>
      <td>
        {template.next_at ? (
          <>
            <div>{shortMoment(template.next_at)}</div>
            <div className="soft small">{template.next_words}</div>
          </>
        ) : (
          <span className="soft">by hand</span>
        )}
      </td>
      <td className="text-end text-nowrap">
        {mayRun && (
          <Button
            variant="quiet"
            disabled={run.isPending || run.isSuccess}
            onClick={() => run.mutate({ template_id: template.id, use: "saved" })}
            aria-label={`Run ${template.name}`}
          >
            <Icon name="play" /> {run.isSuccess ? "Asked" : "Run"}
          </Button>
        )}
        <More template={template} />
        <Trouble error={run.error} />
      </td>
    </tr>
  );
}

function More({ template }: { template: TemplateRow }) {
  const go = useNavigate();
  const client = useQueryClient();
  const mayDesign = useMay("design");
  const [removing, setRemoving] = useState(false);
  const path = { params: { path: { template_id: template.id } } };
  const copy = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/templates/{template_id}/copy", path)),
    onSuccess: (made) => go(`/templates/${made.id}`),
  });
  const remove = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/templates/{template_id}", path)),
    onSuccess: () => {
      setRemoving(false);
      void client.invalidateQueries({ queryKey: ["templates"] });
    },
  });
  return (
    <>
      <Dropdown align="end" className="d-inline-block">
        <Dropdown.Toggle variant="link" bsPrefix="btn" aria-label={`More for ${template.name}`}>
          ⋮
        </Dropdown.Toggle>
        <Dropdown.Menu>
          <Dropdown.Item as={Link} to={`/templates/${template.id}`}>
            Open on the bench
          </Dropdown.Item>
          <Dropdown.Item as={Link} to={`/runs?template=${template.id}`}>
            Its runs
          </Dropdown.Item>
          {mayDesign && (
            <>
              <Dropdown.Item as={Link} to={`/rounds?new=${template.id}`}>
                Set a round…
              </Dropdown.Item>
              <Dropdown.Item as="button" onClick={() => copy.mutate()}>
                Make a copy
              </Dropdown.Item>
              <Dropdown.Item as="button" onClick={() => setRemoving(true)}>
                Remove…
              </Dropdown.Item>
            </>
          )}
        </Dropdown.Menu>
      </Dropdown>
      <Modal show={removing} onHide={() => setRemoving(false)} aria-labelledby={`remove-${template.id}`}>
        <Modal.Header closeButton>
          <Modal.Title id={`remove-${template.id}`}>Remove “{template.name}”?</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          It leaves the library. The runs it made and their files stay in the ledger.
          <Trouble error={remove.error} />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={() => setRemoving(false)}>
            Keep it
          </Button>
          <Button variant="danger" onClick={() => remove.mutate()}>
            Remove
          </Button>
        </Modal.Footer>
      </Modal>
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
