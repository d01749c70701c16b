import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api, resources } from "../api";
import type { RecordType, Narrowing } from "../api";
import type { Document } from "../document/types";
import {
  AnswerForm,
  NotIncluded,
  Purpose,
  allAnswered,
  useQuestions,
  useStartRun,
  withDefaults,
} from "../runs";
import type { Answers } from "../runs";
import { useCurrentSource, useMay } from "../shell";
import { FormDialog, Trouble, plural } from "../shared";
import { tr } from "../i18n";

/** Keep ticked records, or all that match, as a list that templates can name. */
export function PicksDialog({
  records,
  keys,
  document,
  size,
  onClose,
}: {
  records: RecordType;
  /** Null keeps all that the document narrows to. */
  keys: string[][] | null;
  document: Document;
  size: number;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const known = useQuery(resources.picks(records.name));
  const there = known.data?.find((p) => p.name.toLowerCase() === name.trim().toLowerCase());
  const save = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/picks/{name}", {
          params: { path: { name: name.trim() } },
          body: {
            records: records.name,
            keys: keys ?? [],
            document: keys ? undefined : document,
          },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["picks"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("Keep {{size}} as a list", { size: plural(size, records.label, records.plural) })}
      act={there ? tr("Replace it") : tr("Keep")}
      ready={name.trim() !== ""}
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="picks-name">
        <Form.Label>{tr("Name of the list")}</Form.Label>
        <Form.Control
          autoFocus
          list="known-picks"
          maxLength={120}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <datalist id="known-picks">
          {known.data?.map((p) => (
            <option key={p.name} value={p.name} />
          ))}
        </datalist>
      </Form.Group>
      {there && (
        <div className="field-trouble">
          {tr("The list “{{there}}” with {{size}} is replaced.", {
            there: there.name,
            size: plural(there.size, "record"),
          })}
        </div>
      )}
      <span className="soft small">
        {tr("Any template of {{records}} can then be narrowed to it: “it is in the list…”.", {
          records: records.plural,
        })}
      </span>
    </FormDialog>
  );
}

/** Which template is to be run on these, or tried on one? */
export function RunOnDialog({
  records,
  keys,
  one,
  filter,
  total,
  onClose,
}: {
  records: RecordType;
  keys: string[][];
  /** What the one record is called that a template is tried on. */
  one?: string;
  /** What is seen, as a further narrowing. */
  filter?: Narrowing;
  total?: number;
  onClose: () => void;
}) {
  const go = useNavigate();
  const mayDesign = useMay("design");
  const templates = useQuery(resources.templates());
  const source = useCurrentSource()?.key;
  const fitting = (templates.data ?? []).filter((t) => t.records === records.name && t.source === source);
  const [chosen, setChosen] = useState<number | null>(null);
  const [seen, setSeen] = useState(false);
  const [purpose, setPurpose] = useState("");
  const run = useStartRun();
  const template = fitting.find((t) => t.id === chosen) ?? fitting[0];
  const questions = useQuestions(template?.id, "saved");
  const [given, setGiven] = useState<Answers>({});
  const asks = questions.data?.asks ?? [];
  const answers = withDefaults(asks, given);
  const looks = one !== undefined && mayDesign;
  const personal = questions.data?.personal ?? [];
  const ready =
    looks ||
    (questions.data !== undefined &&
      allAnswered(asks, answers) &&
      (!personal.length || purpose.trim() !== ""));
  const act = () => {
    if (!template) return;
    if (looks) void go(`/templates/${template.id}?only=${encodeURIComponent(JSON.stringify(keys))}`);
    else
      run.mutate(
        {
          template_id: template.id,
          use: "saved",
          purpose,
          answers,
          ...(seen && filter ? { also: filter } : { only: keys }),
        },
        { onSuccess: (made) => void go(`/runs/${made.id}`) },
      );
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="run-on">
      <Modal.Header closeButton>
        <Modal.Title id="run-on">
          {one ? tr("Try a template on {{one}}", { one }) : tr("Run a template on these")}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body className="d-grid gap-2">
        {templates.isSuccess && fitting.length === 0 && (
          <p className="mb-0">
            {tr("There is no template of {{records}} yet. “Design with these” makes one.", {
              records: records.plural,
            })}
          </p>
        )}
        <div className="choices" role="radiogroup" aria-label={tr("Template")}>
          {fitting.map((t) => (
            <label key={t.id} className={`option ${t.id === template?.id ? "on" : ""}`}>
              <input
                type="radio"
                name="template"
                className="form-check-input mt-0"
                checked={t.id === template?.id}
                onChange={() => {
                  setChosen(t.id);
                  setGiven({});
                }}
              />
              {t.name}
            </label>
          ))}
        </div>
        {filter !== undefined && total !== undefined && !one && (
          <Form.Select
            aria-label={tr("On which records")}
            value={seen ? "seen" : "ticked"}
            onChange={(e) => setSeen(e.target.value === "seen")}
          >
            <option value="ticked">
              {tr("on the {{keys}} ticked", { keys: plural(keys.length, "record") })}
            </option>
            <option value="seen">
              {tr("on all {{total}} that I see", { total: plural(total, "record") })}
            </option>
          </Form.Select>
        )}
        {!looks && (
          <>
            <AnswerForm
              questions={asks}
              answers={answers}
              onAnswers={setGiven}
              zone={String(questions.data?.document.zone ?? "Europe/London")}
            />
            <NotIncluded missed={questions.data?.not_included} />
            <Purpose personal={personal} purpose={purpose} onPurpose={setPurpose} />
          </>
        )}
        <span className="soft small">
          {tr("Only for this once; the template stays as it is, with its own narrowings.")}
        </span>
        <Trouble error={run.error ?? templates.error} />
      </Modal.Body>
      <Modal.Footer>
        <Button variant="quiet" onClick={onClose}>
          {tr("Cancel")}
        </Button>
        <Button disabled={!template || !ready || run.isPending} onClick={act}>
          {one ? tr("Look at it") : tr("Run")}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
