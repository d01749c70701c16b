import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { Answer, Question } from "../api";
import { NumberInput, WindowParts, sameKind, vocabulary } from "../shared";
import type { Window } from "../shared";
import { tr } from "../i18n";

export type Answers = Record<string, Answer>;

interface Props {
  questions: Question[];
  answers: Answers;
  onAnswers: (answers: Answers) => void;
  zone: string;
}

/** The questions a template asks at each run, each with an input that suits it. */
export function AnswerForm({ questions, answers, onAnswers, zone }: Props) {
  return (
    <div className="d-grid gap-3">
      {questions.map((q) => (
        <Form.Group key={q.name} controlId={`ask-${q.name}`}>
          {q.kind === "choices" && q.choices.length > 0 ? null : (
            <Form.Label>
              {q.label} {!q.required && <span className="soft fw-normal">{tr("(may stay open)")}</span>}
            </Form.Label>
          )}
          <AnswerInput
            question={q}
            zone={zone}
            value={answers[q.name]}
            onValue={(value) => onAnswers({ ...answers, [q.name]: value })}
          />
        </Form.Group>
      ))}
    </div>
  );
}

/** Answers as they were given, and elsewhere as the template proposes them. */
export function withDefaults(questions: Question[], answers: Answers): Answers {
  return { ...Object.fromEntries(questions.map((q) => [q.name, q.answer ?? null])), ...answers };
}

/** Whether every question that must be answered is. */
export function allAnswered(questions: Question[], answers: Answers): boolean {
  return questions.every((q) => {
    const given = answers[q.name];
    return (
      !q.required ||
      !(given === undefined || given === null || given === "" || (Array.isArray(given) && given.length === 0))
    );
  });
}

function AnswerInput({
  question,
  zone,
  value,
  onValue,
}: {
  question: Question;
  zone: string;
  value: Answer | undefined;
  onValue: (value: Answer) => void;
}) {
  switch (question.kind) {
    case "choices": {
      const chosen = (Array.isArray(value) ? value : []).map(String);
      if (question.choices.length === 0)
        return (
          <>
            <Form.Control
              as="textarea"
              rows={3}
              defaultValue={chosen.join("\n")}
              onChange={(e) =>
                onValue(
                  e.target.value
                    .split("\n")
                    .map((v) => v.trim())
                    .filter(Boolean),
                )
              }
            />
            <Form.Text>{tr("One a line.")}</Form.Text>
          </>
        );
      return (
        <fieldset>
          <legend className="form-label">
            {question.label}{" "}
            {!question.required && <span className="soft fw-normal">{tr("(may stay open)")}</span>}
          </legend>
          <div className="soft small">{said(question, chosen)}</div>
          <div className="choices">
            {question.choices.map((c) => (
              <label key={c.code}>
                <input
                  type="checkbox"
                  className="form-check-input mt-0"
                  checked={chosen.includes(c.code)}
                  onChange={(e) => {
                    const next = new Set(
                      e.target.checked ? [...chosen, c.code] : chosen.filter((v) => v !== c.code),
                    );
                    onValue(question.choices.map((k) => k.code).filter((k) => next.has(k)));
                  }}
                />
                {c.label}
              </label>
            ))}
          </div>
        </fieldset>
      );
    }
    case "yes_no":
      return (
        <Form.Select
          value={String(value ?? "")}
          onChange={(e) => onValue(e.target.value === "" ? null : e.target.value === "true")}
        >
          <option value="">{tr("choose…")}</option>
          <option value="true">{tr("yes")}</option>
          <option value="false">{tr("no")}</option>
        </Form.Select>
      );
    case "date":
      return (
        <Form.Control
          type="date"
          value={String(value ?? "").slice(0, 10)}
          onChange={(e) => onValue(e.target.value)}
        />
      );
    case "number":
      return <NumberInput id={`ask-${question.name}`} value={String(value ?? "")} onNumber={onValue} />;
    case "window":
      return (
        <PeriodInput
          id={`ask-${question.name}`}
          zone={zone}
          value={(value ?? undefined) as Window | undefined}
          onValue={onValue}
        />
      );
    default:
      return <Form.Control value={String(value ?? "")} onChange={(e) => onValue(e.target.value)} />;
  }
}

/** The answers chosen, which may lie below what is seen of the list. */
function said(question: Question, chosen: string[]): string {
  const labels = question.choices.filter((c) => chosen.includes(c.code)).map((c) => c.label);
  if (labels.length === 0) return tr("none chosen yet");
  return labels.length > 3
    ? tr("{{labels}} and {{labels2}} more", {
        labels: labels.slice(0, 3).join(", "),
        labels2: labels.length - 3,
      })
    : labels.join(", ");
}

/** A period: one of the usual ones, each with its dates, or two dates of one's own. */
export function PeriodInput({
  id,
  zone,
  value,
  onValue,
}: {
  id: string;
  zone: string;
  value: Window | undefined;
  onValue: (value: Window) => void;
}) {
  const [making, setMaking] = useState(false);
  // The window that stands is offered with its own number, in the place of its kind.
  const usual = vocabulary().offered_windows.map((w) => (value && sameKind(w, value) ? value : w));
  const known = value && value.type !== "between" && !usual.includes(value) ? [value, ...usual] : usual;
  const infos = useQuery({
    queryKey: ["windows", zone, known],
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/windows", {
          body: { windows: known, zone },
        }),
      ),
    staleTime: 60_000,
    placeholderData: (before) => before,
  });
  const at = value ? known.indexOf(value) : -1;
  const own = value !== undefined && (value.type === "between" || making);
  return (
    <>
      <Form.Select
        id={id}
        value={own ? "own" : at}
        onChange={(e) => {
          setMaking(e.target.value === "own");
          if (e.target.value !== "own") onValue(known[Number(e.target.value)]!);
          else onValue(value ?? { type: "between", first: "", last: "" });
        }}
      >
        {!value && <option value={-1}>{tr("choose…")}</option>}
        {known.map((_, n) => (
          <option key={n} value={n}>
            {infos.data?.[n]?.words ?? "…"} {infos.data?.[n]?.dates ? `(${infos.data[n].dates})` : ""}
          </option>
        ))}
        <option value="own">{tr("another period…")}</option>
      </Form.Select>
      {own && (
        <div className="d-grid gap-2 mt-2">
          <WindowParts window={value} onChange={onValue} />
          <div className="soft">{infos.data?.[known.indexOf(value)]?.dates}</div>
        </div>
      )}
    </>
  );
}
