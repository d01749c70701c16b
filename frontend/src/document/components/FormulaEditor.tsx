import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../../api";
import type { FieldGroup, Problem } from "../../api";
import type { Column } from "../types";
import { Help } from "../../guide";
import { tr } from "../../i18n";

const SHOWN = 8;

interface Props {
  id: string;
  label: string;
  formula: string;
  groups: FieldGroup[];
  columns: Column[];
  problems: Problem[];
  onChange: (formula: string) => void;
}

interface Suggestion {
  text: string;
  what: string;
  /** Characters of the formula that it replaces, and where the cursor then stands. */
  from: number;
  to: number;
  back: number;
}

/** A formula with completion of functions and fields, and what is wrong underlined where it is. */
export function FormulaEditor({ id, label, formula, groups, columns, problems, onChange }: Props) {
  const area = useRef<HTMLTextAreaElement>(null);
  const [cursor, setCursor] = useState<number | null>(null);
  const [at, setAt] = useState(0);
  const functions = useQuery({
    queryKey: ["functions"],
    queryFn: () => answer(api.GET("/api/v1/design/functions")),
    staleTime: Infinity,
  });
  const names = useMemo(
    () => [
      ...groups.flatMap((g) =>
        g.fields.map((f) => ({ name: f.path, what: g.path ? `${g.label} › ${f.label}` : f.label })),
      ),
      ...columns.map((c) => ({ name: c.heading, what: "column" })),
    ],
    [groups, columns],
  );
  const suggestions = cursor === null ? [] : suggest(formula, cursor, names, functions.data ?? []);
  const here = Math.min(at, suggestions.length - 1);
  const inside = insideFunction(formula, cursor ?? formula.length);
  const about = functions.data?.find((f) => f.name === inside);

  const take = (s: Suggestion) => {
    const next = formula.slice(0, s.from) + s.text + formula.slice(s.to);
    onChange(next);
    setAt(0);
    const place = s.from + s.text.length - s.back;
    setCursor(s.back ? place : null);
    requestAnimationFrame(() => {
      area.current?.focus();
      area.current?.setSelectionRange(place, place);
    });
  };
  const wrong = problems.find((p) => p.at !== null && p.at !== undefined) ?? problems[0];
  const offset = formula.startsWith("=") ? 0 : 0;

  return (
    <Form.Group controlId={id} className="formula-editor">
      <Form.Label>{label}</Form.Label> <Help topic="formulas#writing-formulas" />
      <div className="formula-box">
        {wrong && typeof wrong.at === "number" && (
          <div className="formula-marks mono" aria-hidden>
            {formula.slice(0, wrong.at + offset)}
            <u>
              {formula.slice(wrong.at + offset, wrong.at + offset + wordLength(formula, wrong.at + offset)) ||
                " "}
            </u>
          </div>
        )}
        <Form.Control
          as="textarea"
          ref={area}
          rows={5}
          className="mono"
          spellCheck={false}
          autoComplete="off"
          role="combobox"
          aria-expanded={suggestions.length > 0}
          aria-controls={`${id}-list`}
          aria-autocomplete="list"
          aria-activedescendant={suggestions[here] ? `${id}-option-${here}` : undefined}
          value={formula}
          isInvalid={problems.length > 0}
          onChange={(e) => {
            onChange(e.target.value);
            setCursor(e.target.selectionStart);
            setAt(0);
          }}
          onBlur={() => setTimeout(() => setCursor(null), 150)}
          onKeyDown={(e) => {
            if (suggestions.length === 0) return;
            if (e.key === "ArrowDown") setAt(Math.min(here + 1, suggestions.length - 1));
            else if (e.key === "ArrowUp") setAt(Math.max(here - 1, 0));
            else if (e.key === "Enter" || e.key === "Tab") take(suggestions[here]!);
            else if (e.key === "Escape") {
              e.stopPropagation();
              setCursor(null);
            } else return;
            e.preventDefault();
          }}
        />
      </div>
      {suggestions.length > 0 && (
        <div className="formula-list" role="listbox" id={`${id}-list`} aria-label={tr("Completions")}>
          {suggestions.map((s, n) => (
            <button
              key={s.text + s.what}
              type="button"
              role="option"
              id={`${id}-option-${n}`}
              aria-selected={n === here}
              tabIndex={-1}
              className={`option ${n === here ? "on" : ""}`}
              onMouseDown={(e) => {
                e.preventDefault();
                take(s);
              }}
            >
              <span className="mono name">{s.text}</span> <span>{s.what}</span>
            </button>
          ))}
        </div>
      )}
      {problems.map((p) => (
        <div key={p.message} className="field-trouble" role="alert">
          {p.message}
        </div>
      ))}
      {about && (
        <Form.Text>
          <span className="mono">{about.calls[0]}</span> {about.meaning}
        </Form.Text>
      )}
    </Form.Group>
  );
}

/** What may stand where the cursor is: inside braces a field or a column, after letters a function. */
function suggest(
  formula: string,
  cursor: number,
  names: { name: string; what: string }[],
  functions: { name: string; calls: string[]; meaning: string }[],
): Suggestion[] {
  const before = formula.slice(0, cursor);
  const brace = /\{([^{}]*)$/.exec(before);
  if (brace) {
    const typed = brace[1]!.toLowerCase();
    const closed = formula[cursor] === "}" ? 1 : 0;
    return names
      .filter((f) => `${f.name} ${f.what}`.toLowerCase().includes(typed))
      .slice(0, SHOWN)
      .map((f) => ({ text: `{${f.name}}`, what: f.what, from: brace.index, to: cursor + closed, back: 0 }));
  }
  const word = /([A-Za-z][A-Za-z.]*)$/.exec(before);
  if (!word || /["\w]$/.test(before.slice(0, word.index))) return [];
  const typed = word[1]!.toUpperCase();
  const found = functions
    .filter((f) => /^[A-Z]/.test(f.name) && f.name.startsWith(typed) && f.name !== typed)
    .slice(0, 5)
    .map((f) => ({ text: `${f.name}()`, what: f.calls[0] ?? "", from: word.index, to: cursor, back: 1 }));
  const fields = names
    .filter((f) => f.what.toUpperCase().includes(typed) || f.name.toUpperCase().includes(typed))
    .slice(0, SHOWN - found.length)
    .map((f) => ({ text: `{${f.name}}`, what: f.what, from: word.index, to: cursor, back: 0 }));
  return [...found, ...fields];
}

/** The function whose arguments the cursor stands among. */
function insideFunction(formula: string, cursor: number): string | undefined {
  let depth = 0;
  for (let n = cursor - 1; n >= 0; n -= 1) {
    if (formula[n] === ")") depth += 1;
    else if (formula[n] === "(") {
      if (depth === 0) return /([A-Z][A-Z.]*)$/i.exec(formula.slice(0, n))?.[1]?.toUpperCase();
      depth -= 1;
    }
  }
  return undefined;
}

function wordLength(formula: string, at: number): number {
  return /^[\w.{}]+|^./.exec(formula.slice(at))?.[0].length ?? 1;
}
