import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import type { Questions } from "../api";
import { Trouble, plural, useDebounced } from "../shared";
import { Expected } from "./Expected";
import { AnswerForm, allAnswered, withDefaults } from "./AnswerForm";
import type { Answers } from "./AnswerForm";
import { NotIncluded } from "./NotIncluded";
import { Purpose } from "./Purpose";
import { Help } from "../guide";
import { tr } from "../i18n";

interface Props {
  templateId: number;
  /** The draft as it stands on the bench, or the newest saved version. */
  use: "draft" | "saved";
  busy?: boolean;
  error?: Error | null;
  onRun: (answers: Answers, purpose: string, quiet: boolean) => void;
  onClose: () => void;
}

/** What a template asks, and all else that a run needs to know of it. */
export function useQuestions(templateId: number | undefined, use: "draft" | "saved") {
  return useQuery({
    queryKey: ["questions", templateId, use],
    enabled: templateId !== undefined,
    queryFn: () =>
      answer(
        api.GET("/api/v1/templates/{template_id}/questions", {
          params: { path: { template_id: templateId! }, query: { use } },
        }),
      ),
    gcTime: 0,
    staleTime: 0,
  });
}

/** The last look before a run: what it asks, what goes out and what does not, and what personal data is for. */
export function RunDialog({ templateId, use, busy, error, onRun, onClose }: Props) {
  const questions = useQuestions(templateId, use);
  const known = questions.data;
  const [given, setGiven] = useState<Answers>({});
  const [purpose, setPurpose] = useState("");
  const [quiet, setQuiet] = useState(false);
  const asks = known?.asks ?? [];
  const answers = withDefaults(asks, given);
  const rows = useRowCount(known, answers);
  const plain = known !== undefined && asks.length === 0 && known.personal.length === 0;
  const ready =
    known && allAnswered(asks, answers) && (known.personal.length === 0 || purpose.trim() !== "") && !busy;
  return (
    <Modal show onHide={onClose} aria-labelledby="run-dialog">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          if (ready) onRun(answers, purpose.trim(), quiet);
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="run-dialog">{tr("Before it runs")}</Modal.Title>
          <Help topic="run-a-template#before-the-first-press" />
        </Modal.Header>
        <Modal.Body className="d-grid gap-3">
          <Trouble error={error ?? questions.error ?? rows.error} />
          {known && (
            <>
              <AnswerForm questions={asks} answers={answers} onAnswers={setGiven} zone={zoneOf(known)} />
              <div>
                {tr("In the file:")} <b>{rows.data === undefined ? "…" : plural(rows.data, "row")}</b>{" "}
                {tr("of {{known}}.", { known: plural(columnsOf(known), "column") })}
                <div className="expected">
                  <Expected templateId={templateId} rows={rows.data} format={known.format} />
                </div>
                {known.periods.map((p) => (
                  <div key={p.place}>
                    {tr("Period: {{words}}", { words: p.words })}{" "}
                    {p.dates && <span className="soft">({p.dates})</span>}
                  </div>
                ))}
                <NotIncluded missed={known.not_included} />
              </div>
              <Purpose personal={known.personal} purpose={purpose} onPurpose={setPurpose} />
              {plain && use === "saved" && (
                <Form.Check
                  id="run-quiet"
                  label={tr("from now on, run this template at one press")}
                  checked={quiet}
                  onChange={(e) => setQuiet(e.target.checked)}
                />
              )}
            </>
          )}
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={onClose}>
            {tr("Back")}
          </Button>
          <Button type="submit" disabled={!ready}>
            {tr("Run")}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

function useRowCount(known: Questions | undefined, answers: Answers) {
  const settled = useDebounced(answers, 300);
  return useQuery({
    queryKey: ["run-count", known?.id, known?.document, settled],
    enabled: known !== undefined && allAnswered(known.asks, settled),
    queryFn: async () => {
      const tally = await answer(
        api.POST("/api/v1/design/tally", {
          params: { query: { source: known!.source } },
          body: {
            document: known!.document,
            answers: settled,
            limit: 1,
            offset: 0,
            bench: "",
            keys: false,
            template_id: known!.id,
          },
        }),
      );
      return tally.steps.at(-1)?.rows ?? 0;
    },
  });
}

function zoneOf(known: Questions): string {
  return known.document.zone ?? "Europe/London";
}

function columnsOf(known: Questions): number {
  return known.document.columns?.length ?? 0;
}
