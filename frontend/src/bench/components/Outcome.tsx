import { useState } from "react";
import { Button, Modal } from "react-bootstrap";
import { Link } from "react-router";
import { fileAddress } from "../../api";
import type { Look, Problem, Run, WayOut } from "../../api";
import { RunProgress } from "../../runs";
import { Icon, formatName, plural } from "../../shared";

interface Props {
  format: "csv" | "xlsx" | "jsonl";
  look: Look | undefined;
  problems: Problem[];
  run: Run | undefined;
  onShow: (problem: Problem) => void;
  /** Cure a problem by one of its ways out; not given where nothing may be changed. */
  onCure?: (way: WayOut) => void;
}

/** The file that a run makes, what stands in its way, and the run under way. */
export function Outcome({ format, look, problems, run, onShow, onCure }: Props) {
  const [listing, setListing] = useState(false);
  const notes = look?.notes ?? [];
  return (
    <footer className="outcome">
      <Icon name={format === "xlsx" ? "spreadsheet" : "csv"} />
      <span className="one-line">
        <b>{formatName(format)}</b> <span className="soft">· {look?.file_name}</span>
      </span>
      {problems.length > 0 ? (
        <button type="button" className="btn-link-plain trouble" onClick={() => setListing(true)}>
          <Icon name="exclamation" /> {plural(problems.length, "thing")} to put right: {problems[0]!.message}
        </button>
      ) : (
        look && (
          <span className="all-well">
            <Icon name="check" /> ready to run
          </span>
        )
      )}
      {notes.length > 0 && (
        <span className="speaks one-line" title={notes.map((n) => n.message).join("\n")}>
          <Icon name="exclamation" /> {notes[0]!.message}
        </span>
      )}
      <div className="end">{run && <RunNews run={run} />}</div>
      <Modal show={listing} onHide={() => setListing(false)} aria-labelledby="problems">
        <Modal.Header closeButton>
          <Modal.Title id="problems">To put right before a run</Modal.Title>
        </Modal.Header>
        <Modal.Body className="d-grid gap-2">
          {problems.map((p) => (
            <div key={p.place + p.message} className="d-flex gap-2 align-items-start">
              <div className="flex-fill">
                {p.message}
                <div className="soft small mono">{p.place}</div>
                {onCure && (p.ways_out ?? []).some((w) => w.place) && (
                  <div className="d-flex gap-2 flex-wrap mt-1">
                    {(p.ways_out ?? [])
                      .filter((w) => w.place)
                      .map((w) => (
                        <Button
                          key={w.label}
                          variant="quiet"
                          size="sm"
                          onClick={() => {
                            setListing(false);
                            onCure(w);
                          }}
                        >
                          {w.label}
                        </Button>
                      ))}
                  </div>
                )}
              </div>
              <Button
                variant="quiet"
                size="sm"
                onClick={() => {
                  setListing(false);
                  onShow(p);
                }}
              >
                Show
              </Button>
            </div>
          ))}
        </Modal.Body>
      </Modal>
    </footer>
  );
}

function RunNews({ run }: { run: Run }) {
  if (run.status === "asked" || run.status === "running") return <RunProgress run={run} />;
  if (run.status === "cancelled") return <span className="soft">Run {run.id} was cancelled.</span>;
  if (run.status === "failed") {
    return (
      <span className="trouble" role="alert">
        Run {run.id} failed: {String(run.error?.message)}
      </span>
    );
  }
  const file = run.files[0];
  return (
    <span role="status" className="d-flex gap-3 align-items-center">
      <Link to={`/runs/${run.id}`}>
        Run {run.id} is ready: {plural(run.rows_written, "row")}
      </Link>
      {file && (
        <a className="btn btn-quiet btn-sm" href={fileAddress(run.id, file.id)} download>
          <Icon name="download" /> Download
        </a>
      )}
    </span>
  );
}
