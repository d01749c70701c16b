import { useQuery } from "@tanstack/react-query";
import { Button, Form } from "react-bootstrap";
import { resources } from "../api";
import type { NewRound as Draft, FieldInfo, Question } from "../api";
import { ValueEditor, withOperator } from "../document/components/ConditionEditor";
import { firstCondition } from "../document/defaults";
import type { Condition, Operator } from "../document/types";
import { AnswerForm, withDefaults } from "../runs";
import { capital, operatorWords } from "../shared";
import { CONTENT, conditionsOf, eventOf, whereOf } from "./event";
import { tr } from "../i18n";

interface Props {
  draft: Draft;
  /** The source of what it runs. */
  source: string | undefined;
  onChange: (part: Partial<Draft>) => void;
}

/** Which records a round waits for, and what has to come true of one. */
export function ClosesFields({ draft, source, onChange }: Props) {
  const event = eventOf(draft);
  const types = useQuery(resources.recordTypes(source));
  const type = useQuery(resources.recordType(event.records, source));
  const fields = (type.data?.groups[0]?.fields ?? []).filter((f) => f.kind !== "file");
  const conditions = conditionsOf(event.where);
  const put = (next: Condition[]) => onChange({ event: { ...event, where: whereOf(next) } });
  return (
    <div className="slab d-grid gap-2">
      <div className="pair">
        <Form.Group controlId="event-records">
          <Form.Label>{tr("Of which records")}</Form.Label>
          <Form.Select
            required
            value={event.records}
            onChange={(e) => onChange({ event: { ...CONTENT, records: e.target.value } })}
          >
            <option value="">{tr("choose a record type")}</option>
            {types.data?.map((t) => (
              <option key={t.name} value={t.name}>
                {capital(t.plural)}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
      </div>
      {conditions === null && (
        <p className="soft m-0">
          {tr("Its condition came with a document and is more than can be shown here; it stays as it is.")}
        </p>
      )}
      {type.data &&
        conditions?.map((condition, n) => (
          <ComesTrue
            key={n}
            place={n}
            condition={condition}
            fields={fields}
            zone={draft.zone ?? "UTC"}
            onChange={(next) => put(conditions.map((c, at) => (at === n ? next : c)))}
            onRemove={() => put(conditions.filter((_, at) => at !== n))}
          />
        ))}
      {type.data && conditions !== null && (
        <ChooseField
          key={conditions.length}
          first={conditions.length === 0}
          fields={fields}
          onChoose={(field) => put([...conditions, startOf(field)])}
        />
      )}
      {conditions?.length !== 0 && (
        <Form.Text>
          {tr(
            "Each {{label}} of which this comes true starts one run, once. What is so already starts nothing.",
            { label: types.data?.find((t) => t.name === event.records)?.label.toLowerCase() },
          )}
        </Form.Text>
      )}
    </div>
  );
}

interface ChooseFieldProps {
  /** Whether there is no condition yet. */
  first: boolean;
  fields: FieldInfo[];
  onChoose: (field: FieldInfo) => void;
}

function ChooseField({ first, fields, onChoose }: ChooseFieldProps) {
  const label = first ? tr("Which of its fields changes") : tr("And also");
  return (
    <Form.Group controlId="event-field">
      <Form.Label>{label}</Form.Label>
      <Form.Select
        required={first}
        value=""
        onChange={(e) => {
          const chosen = fields.find((f) => f.path === e.target.value);
          if (chosen) onChoose(chosen);
        }}
      >
        <option value="">{tr("choose a field")}</option>
        {fields.map((f) => (
          <option key={f.path} value={f.path}>
            {f.label}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}

interface ComesTrueProps {
  /** Its place among the conditions, from 0. */
  place: number;
  condition: Condition;
  fields: FieldInfo[];
  zone: string;
  onChange: (condition: Condition) => void;
  onRemove: () => void;
}

/** One thing that has to be so of a record. */
function ComesTrue({ place, condition, fields, zone, onChange, onRemove }: ComesTrueProps) {
  const field = fields.find((f) => f.path === condition.path);
  const name = field?.label ?? condition.path;
  return (
    <fieldset className="d-grid gap-1">
      <legend className="form-label d-flex gap-2 align-items-center m-0">
        {place > 0 && <span className="soft fw-normal">{tr("and")}</span>} {name}
        <Button size="sm" variant="quiet" aria-label={tr("Remove {{name}}", { name })} onClick={onRemove}>
          {tr("Remove")}
        </Button>
      </legend>
      {field ? (
        <>
          <Form.Select
            aria-label={place === 0 ? tr("Comparison") : tr("Comparison of {{name}}", { name })}
            value={condition.is}
            onChange={(e) => onChange(withOperator(condition, e.target.value as Operator, field))}
          >
            {field.operators
              .filter((operator) => operator !== "in_window")
              .map((operator) => (
                <option key={operator} value={operator}>
                  {operatorWords(operator)}
                </option>
              ))}
          </Form.Select>
          <ValueEditor condition={condition} field={field} zone={zone} onChange={onChange} />
        </>
      ) : (
        <p className="soft m-0">{tr("It leads further than can be chosen here; it stays as it is.")}</p>
      )}
    </fieldset>
  );
}

function startOf(field: FieldInfo): Condition {
  const first = firstCondition(field);
  return first.is === "in_window" ? { path: field.path, is: "not_blank" } : first;
}

interface AnswerProps extends Props {
  questions: Question[];
}

/** What the template asks, answered for every run of the round, or by a field of the record that started it. */
export function RoundAnswers({ draft, source, questions, onChange }: AnswerProps) {
  const event = eventOf(draft);
  const closes = draft.trigger === "closes";
  const type = useQuery({
    ...resources.recordType(event.records, source),
    enabled: closes && event.records !== "",
  });
  if (questions.length === 0) return null;
  const fields = type.data?.groups[0]?.fields ?? [];
  const byField = event.answers ?? {};
  const fixed = questions.filter((q) => !byField[q.name]);
  return (
    <fieldset className="slab d-grid gap-2">
      <legend className="form-label">{tr("What the template asks")}</legend>
      {closes &&
        questions.map((q) => (
          <Form.Group key={q.name} controlId={`by-${q.name}`}>
            <Form.Label>{tr("“{{label}}” is answered by", { label: q.label })}</Form.Label>
            <Form.Select
              value={byField[q.name] ?? ""}
              onChange={(e) => {
                const others = Object.entries(byField).filter(([name]) => name !== q.name);
                const chosen: [string, string][] = e.target.value ? [[q.name, e.target.value]] : [];
                const answers = Object.fromEntries([...others, ...chosen]);
                onChange({ event: { ...event, answers } });
              }}
            >
              <option value="">{tr("the answer below, each time")}</option>
              {fields.map((f) => (
                <option key={f.path} value={f.path}>
                  {tr("its {{label}}", { label: f.label.toLowerCase() })}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
        ))}
      <AnswerForm
        questions={fixed}
        answers={withDefaults(fixed, draft.answers ?? {})}
        zone={draft.zone ?? "UTC"}
        onAnswers={(answers) => onChange({ answers })}
      />
    </fieldset>
  );
}
