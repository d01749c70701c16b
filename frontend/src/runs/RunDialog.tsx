import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import { Trouble, plural, useDebounced } from "../shared";
import { Expected } from "./Expected";
import { AnswerForm, allAnswered } from "./AnswerForm";
import type { Answers } from "./AnswerForm";
import { Purpose } from "./Purpose";

interface Props {
  templateId: number;
  zone: string;
  rows: number | null;
  columns: number;
  format: string;
  onRun: (answers: Answers, purpose: string) => void;
  onClose: () => void;
}

/** The last look before a run: what it asks, what goes out, and what personal data is for. */
export function RunDialog({ templateId, zone, rows, columns, format, onRun, onClose }: Props) {
  const questions = useQuery({
    queryKey: ["questions", templateId, "draft"],
    queryFn: () =>
      answer(
        api.GET("/api/v1/templates/{template_id}/questions", {
          params: { path: { template_id: templateId }, query: { use: "draft" } },
        }),
      ),
    gcTime: 0,
    staleTime: 0,
  });
  const known = questions.data;
  const [given, setGiven] = useState<Answers>({});
  const [purpose, setPurpose] = useState("");
  const answers: Answers = {
    ...Object.fromEntries((known?.asks ?? []).map((q) => [q.name, q.answer])),
    ...given,
  };
  const settled = useDebounced(answers, 300);
  const counted = useQuery({
    queryKey: ["run-count", templateId, settled],
    enabled: known !== undefined && known.asks.length > 0,
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/tally", {
          body: {
            document: known!.document,
            answers: settled,
            limit: 1,
            offset: 0,
            bench: "",
            keys: false,
            template_id: templateId,
          },
        }),
      ),
    retry: false,
  });
  const going = known?.asks.length ? (counted.data?.steps.at(-1)?.rows ?? null) : rows;
  const ready =
    known && allAnswered(known.asks, answers) && (known.personal.length === 0 || purpose.trim() !== "");
  return (
    <Modal show onHide={onClose} aria-labelledby="run-dialog">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          if (ready) onRun(answers, purpose.trim());
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="run-dialog">Before it runs</Modal.Title>
        </Modal.Header>
        <Modal.Body className="d-grid gap-3">
          <Trouble error={questions.error ?? counted.error} />
          {known && <AnswerForm questions={known.asks} answers={answers} onAnswers={setGiven} zone={zone} />}
          <p className="mb-0">
            Going out: <b>{going === null ? "…" : plural(going, "row")}</b> of {columns} columns.{" "}
            <Expected templateId={templateId} rows={going} format={format} />
          </p>
          <Purpose personal={known?.personal ?? []} purpose={purpose} onPurpose={setPurpose} />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={onClose}>
            Back
          </Button>
          <Button type="submit" disabled={!ready}>
            Run
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
