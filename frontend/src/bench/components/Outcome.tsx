import { useState } from "react";
import type { ReactNode } from "react";
import { Button, Modal } from "react-bootstrap";
import type { CheckCount, Look, Problem, Run, WayOut, FormatName } from "../../api";
import { RunNews } from "../../runs";
import { Icon, formatName, plural } from "../../shared";
import { tr } from "../../i18n";

interface Props {
  format: FormatName;
  look: Look | undefined;
  problems: Problem[];
  run: Run | undefined;
  /** How the checks fare on the rows as they are now. */
  checks: CheckCount[];
  onShow: (problem: Problem) => void;
  /** Cure a problem by one of its ways out; not given where nothing may be changed. */
  onCure?: (way: WayOut) => void;
  /** Show everything that speaks up. */
  onChecks: () => void;
  /** How large it will be and how long it will take. */
  expected?: ReactNode;
  /** How the file stands to what a recipient takes. */
  children?: ReactNode;
}

/** The file that a run makes, what stands in its way, and the run under way. */
export function Outcome(props: Props) {
  const { format, look, problems, run, checks, onShow, onCure, onChecks, expected, children } = props;
  const [listing, setListing] = useState(false);
  const notes = look?.notes ?? [];
  const objecting = checks.filter((c) => c.objections > 0);
  const grave = objecting.find((c) => c.severity === "stop") ?? objecting.find((c) => c.severity === "hold");
  return (
    <footer className="outcome">
      <Icon name={format === "xlsx" ? "spreadsheet" : "csv"} />
      <span className="one-line">
        <b>{formatName(format)}</b> <span className="soft">· {look?.file_name}</span>
      </span>
      {problems.length > 0 ? (
        <button type="button" className="btn-link-plain trouble" onClick={() => setListing(true)}>
          <Icon name="exclamation" />{" "}
          {tr("{{problems}} to put right: {{message}}", {
            problems: plural(problems.length, "thing"),
            message: problems[0]!.message,
          })}
        </button>
      ) : grave ? (
        <button type="button" className="btn-link-plain speaks one-line" onClick={onChecks}>
          <Icon name="pause" />{" "}
          {grave.severity === "stop"
            ? tr("would be stopped: {{grave}}", { grave: grave.words })
            : tr("would wait for review: {{grave}}", { grave: grave.words })}
        </button>
      ) : (
        look && (
          <span className="all-well">
            <Icon name="check" /> {tr("ready to run")} {expected}
            {objecting.length > 0 && (
              <button type="button" className="btn-link-plain ms-2" onClick={onChecks}>
                {tr("{{checks}} object", {
                  checks: plural(objecting.length, "check"),
                  count: objecting.length,
                })}
              </button>
            )}
          </span>
        )
      )}
      {notes.length > 0 && (
        <button
          type="button"
          className="btn-link-plain speaks one-line"
          title={notes.map((n) => n.message).join("\n")}
          onClick={onChecks}
        >
          <Icon name="exclamation" /> {notes[0]!.message}
        </button>
      )}
      {children}
      <div className="end">{run && <RunNews run={run} />}</div>
      <Modal show={listing} onHide={() => setListing(false)} aria-labelledby="problems">
        <Modal.Header closeButton>
          <Modal.Title id="problems">{tr("To put right before a run")}</Modal.Title>
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
                {tr("Show")}
              </Button>
            </div>
          ))}
        </Modal.Body>
      </Modal>
    </footer>
  );
}
