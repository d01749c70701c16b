import { Button, Form } from "react-bootstrap";
import type { FieldInfo } from "../../api";
import { answered, askOf, canAsk, changeAsk, changeAsked } from "../asks";
import { operatorWords } from "../../shared";
import type { Condition, Document, Operator } from "../types";
import { ValueEditor, withOperator } from "./ConditionEditor";
import { Help } from "../../guide";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  place: string;
  condition: Condition;
  field: FieldInfo | undefined;
  onEdit: (document: Document) => void;
  onSettle: () => void;
  onRemove: () => void;
}

/** A question the template leaves open: how it is asked, and the answer that is offered first. */
export function AskEditor({ document, place, condition, field, onEdit, onSettle, onRemove }: Props) {
  const ask = askOf(document, condition);
  if (!ask) return null;
  const now = answered(document, condition);
  const change = (next: Condition) => onEdit(changeAsked(document, place, next, field));
  return (
    <>
      <Form.Group controlId="ask-label">
        <Form.Label>
          {tr("Asked at each run")} <Help topic="narrowing#ask-each-time" />
        </Form.Label>
        <Form.Control
          value={ask.label}
          maxLength={200}
          onChange={(e) => onEdit(changeAsk(document, ask.name, { label: e.target.value || " " }))}
        />
      </Form.Group>
      {field && (
        <Form.Select
          aria-label={tr("Comparison")}
          value={condition.is}
          onChange={(e) => change(withOperator(now, e.target.value as Operator, field))}
        >
          {field.operators.filter(canAsk).map((operator) => (
            <option key={operator} value={operator}>
              {operatorWords(operator)}
            </option>
          ))}
        </Form.Select>
      )}
      <div className="soft small">{tr("Offered as the answer, and used by rounds:")}</div>
      {field && (
        <ValueEditor
          condition={now}
          field={field}
          zone={document.zone ?? "Europe/London"}
          onChange={change}
        />
      )}
      <Form.Check
        id="ask-required"
        label={tr("a run needs an answer")}
        checked={ask.required ?? true}
        onChange={(e) => onEdit(changeAsk(document, ask.name, { required: e.target.checked }))}
      />
      <div className="editor-end">
        <Button variant="quiet" size="sm" onClick={onSettle}>
          {tr("Ask no longer")}
        </Button>
        <Button variant="quiet" size="sm" className="text-danger" onClick={onRemove}>
          {tr("Remove")}
        </Button>
      </div>
    </>
  );
}
