import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { ApiError, answer, api } from "../../api";
import type { TemplateInfo } from "../../api";
import { FormDialog, Trouble } from "../../shared";
import type { Document } from "../../document/types";
import { KEYS } from "../../document/defaults";
import { tr } from "../../i18n";

/** Keep the draft as a version, with a note of what changed. */
export function SaveDialog({
  template,
  flush,
  onClose,
  onSaved,
  onSaveAsNew,
}: {
  template: TemplateInfo;
  flush: () => Promise<TemplateInfo | null>;
  onClose: () => void;
  onSaved: (template: TemplateInfo) => void;
  onSaveAsNew: () => void;
}) {
  const [note, setNote] = useState("");
  const save = useMutation({
    mutationFn: async () => {
      const kept = await flush();
      if (!kept) throw new Error(tr("The draft could not be kept, so it cannot be saved either."));
      return answer(
        api.POST("/api/v1/templates/{template_id}/versions", {
          params: { path: { template_id: template.id }, header: { "If-Match": `"${kept.revision}"` } },
          body: { note },
        }),
      );
    },
    onSuccess: (saved) => {
      onSaved(saved);
      onClose();
    },
  });
  const places = save.error instanceof ApiError ? (save.error.problem.errors ?? []) : [];
  return (
    <Modal show onHide={onClose} aria-labelledby="save">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="save">
            {tr("Save version {{version}}", { version: template.version + 1 })}
          </Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <p>
            {tr("The settings are saved, not today's rows: every run reads the records as they then are.")}
          </p>
          {template.used_by.length > 0 && (
            <p>
              <b>{tr("Used by:")}</b>{" "}
              {tr("{{used_by}}. From their next run on they take this version.", {
                used_by: template.used_by.join("; "),
              })}
            </p>
          )}
          <Form.Group controlId="save-note">
            <Form.Label>{tr("What changed? (may stay empty)")}</Form.Label>
            <Form.Control autoFocus maxLength={500} value={note} onChange={(e) => setNote(e.target.value)} />
          </Form.Group>
          <div className="mt-2">
            {places.length > 0 ? (
              places.map((p) => (
                <div key={p.place + p.message} className="field-trouble" role="alert">
                  {p.message}
                </div>
              ))
            ) : (
              <Trouble
                error={
                  save.error instanceof Error && !(save.error instanceof ApiError)
                    ? save.error.message
                    : save.error
                }
              />
            )}
          </div>
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={onClose}>
            {tr("Cancel")}
          </Button>
          <Button variant="quiet" onClick={onSaveAsNew}>
            {tr("As a new template instead…")}
          </Button>
          <Button type="submit" disabled={save.isPending}>
            {tr("Save")}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

/** What stands on the bench as a template of its own; the one it came from keeps what was saved. */
export function SaveAsNewDialog({
  document,
  template,
  onClose,
  onMade,
}: {
  document: Document;
  template: TemplateInfo;
  onClose: () => void;
  onMade: (made: TemplateInfo) => void;
}) {
  const [name, setName] = useState(tr("{{name}}, changed", { name: document.name }).slice(0, 120));
  const make = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/templates", {
          params: { query: { source: template.source } },
          body: {
            everyday: false,
            free_name: false,
            document: { ...document, name: name.trim() },
          },
        }),
      ),
    onSuccess: onMade,
  });
  return (
    <FormDialog
      title={tr("Save as a new template")}
      act={tr("Save it")}
      ready={name.trim() !== ""}
      busy={make.isPending}
      error={make.error}
      onAct={() => make.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="new-name">
        <Form.Label>{tr("Its name")}</Form.Label>
        <Form.Control autoFocus maxLength={120} value={name} onChange={(e) => setName(e.target.value)} />
        <Form.Text>
          {tr("“{{template}}” goes back to its {{version}}.", {
            template: template.name,
            version: template.version
              ? tr("version {{version}}", { version: template.version })
              : tr("start"),
          })}
        </Form.Text>
      </Form.Group>
    </FormDialog>
  );
}

/** What can be done without the mouse. */
export function KeysDialog({ onClose }: { onClose: () => void }) {
  return (
    <Modal show onHide={onClose} aria-labelledby="keys">
      <Modal.Header closeButton>
        <Modal.Title id="keys">{tr("Without the mouse")}</Modal.Title>
      </Modal.Header>
      <Modal.Body className="keys">
        {KEYS.map(([key, what]) => (
          <div key={key} style={{ display: "contents" }}>
            <kbd>{key}</kbd>
            <span>{what}</span>
          </div>
        ))}
      </Modal.Body>
    </Modal>
  );
}

/** Formats under which a cell reads as a person typed it. */
export interface Examples {
  column: string;
  heading: string;
  text: string;
  found: Record<string, unknown>[];
  others: (string | null)[][];
}

/** Which of several formats is meant? Or: that there is none. */
export function ExamplesDialog({
  examples,
  onTake,
  onClose,
}: {
  examples: Examples;
  onTake: (show: Record<string, unknown>) => void;
  onClose: () => void;
}) {
  const { heading, text, found, others } = examples;
  return (
    <Modal show onHide={onClose} aria-labelledby="examples">
      <Modal.Header closeButton>
        <Modal.Title id="examples">{tr("{{heading}} like “{{text}}”", { heading, text })}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {found.length === 0 ? (
          <p className="mb-0">
            {tr(
              "No format turns this cell into “{{text}}”. A format changes how a value is written, never the value; a formula can change it.",
              { text },
            )}
          </p>
        ) : (
          <>
            <p>{tr("Several formats write it like that. How should the other rows read?")}</p>
            {found.map((show, n) => (
              <button key={n} type="button" className="option" onClick={() => onTake(show)}>
                <span className="mono name">
                  {[text, ...(others[n] ?? [])].map((v) => v ?? "empty").join("   ")}
                </span>
              </button>
            ))}
          </>
        )}
      </Modal.Body>
    </Modal>
  );
}
