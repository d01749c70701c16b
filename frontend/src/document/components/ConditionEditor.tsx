import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api } from "../../api";
import type { FieldGroup, FieldInfo, Problem } from "../../api";
import { firstCondition } from "../defaults";
import { subjectOf } from "../filter";
import type { Condition, Operator, Window } from "../types";
import { NumberInput, WindowParts, operatorWords, sameKind, takes, vocabulary } from "../../shared";
import { FieldPicker } from "./FieldPicker";
import { Help } from "../../guide";
import { tr } from "../../i18n";

interface Props {
  condition: Condition;
  field: FieldInfo | undefined;
  groups: FieldGroup[];
  zone: string;
  problems: Problem[];
  onChange: (condition: Condition) => void;
  onRemove: () => void;
  onAlternative?: (condition: Condition) => void;
  /** Leave it open, to be answered at each run; not given where that cannot be. */
  onAsk?: () => void;
  templateId?: number;
}

/** One narrowing: how the field is compared, and with what. Every change is seen at once. */
export function ConditionEditor(props: Props) {
  const { condition, field, problems, onChange, onRemove } = props;
  const [picking, setPicking] = useState(false);
  if (picking && props.onAlternative) {
    const { onAlternative } = props;
    return <FieldPicker groups={props.groups} onPick={(f) => onAlternative(firstCondition(f))} />;
  }
  return (
    <>
      {field && (
        <div className="d-flex gap-1 align-items-center">
          <Form.Select
            aria-label={tr("Comparison")}
            value={condition.is}
            onChange={(e) => onChange(withOperator(condition, e.target.value as Operator, field))}
          >
            {(field.operators.length ? field.operators : [condition.is]).map((operator) => (
              <option key={operator} value={operator}>
                {operatorWords(operator)}
              </option>
            ))}
          </Form.Select>
          <Help topic={takes(condition.is) === "window" ? "narrowing#periods" : "narrowing#comparisons"} />
        </div>
      )}
      {field && <ValueEditor {...props} field={field} />}
      {problems.map((p) => (
        <div key={p.message} className="field-trouble" role="alert">
          {p.message}
        </div>
      ))}
      <div className="editor-end">
        {props.onAlternative && (
          <Button variant="quiet" size="sm" onClick={() => setPicking(true)}>
            {tr("or something else…")}
          </Button>
        )}
        {props.onAsk && (
          <Button variant="quiet" size="sm" onClick={props.onAsk}>
            {tr("Ask each time")}
          </Button>
        )}
        <Button variant="quiet" size="sm" className="text-danger" onClick={onRemove}>
          {tr("Remove")}
        </Button>
      </div>
    </>
  );
}

/** The condition under another comparison, keeping the value where it still makes sense. */
export function withOperator(condition: Condition, operator: Operator, field: FieldInfo): Condition {
  const { exact } = condition;
  const known =
    condition.values ?? (condition.value === null || condition.value === undefined ? [] : [condition.value]);
  const base: Condition = { ...subjectOf(condition), is: operator, ...(exact ? { exact } : {}) };
  switch (takes(operator)) {
    case "nothing":
      return base;
    case "window":
      return { ...base, window: condition.window ?? vocabulary().offered_windows[0] };
    case "list":
      return { ...base, values: known };
    case "range":
      return { ...base, values: [known[0] ?? "", known[1] ?? ""] };
    default:
      return { ...base, value: known[0] ?? (field.kind === "boolean" ? true : field.choices[0]?.code) ?? "" };
  }
}

/** What a field is compared with. */
export function ValueEditor({
  condition,
  field,
  onChange,
  zone,
}: {
  condition: Condition;
  field: FieldInfo;
  onChange: (condition: Condition) => void;
  zone: string;
}) {
  const taken = takes(condition.is);
  if (taken === "nothing") return null;
  if (taken === "window") {
    return (
      <WindowEditor
        window={condition.window ?? { type: "all_time" }}
        zone={zone}
        onChange={(window) => onChange({ ...condition, window })}
      />
    );
  }
  if (field.kind === "boolean") {
    return (
      <Form.Select
        aria-label={tr("Value")}
        value={String(condition.value)}
        onChange={(e) => onChange({ ...condition, value: e.target.value === "true" })}
      >
        <option value="true">{tr("yes")}</option>
        <option value="false">{tr("no")}</option>
      </Form.Select>
    );
  }
  if (field.choices.length > 0)
    return <ChoiceEditor condition={condition} field={field} onChange={onChange} />;
  if (taken === "range") {
    const [first = "", last = ""] = condition.values ?? [];
    return (
      <div className="d-flex gap-2 align-items-center">
        <Value
          field={field}
          label={tr("From")}
          value={first}
          onChange={(v) => onChange({ ...condition, values: [v, last] })}
        />
        {tr("and")}
        <Value
          field={field}
          label={tr("To")}
          value={last}
          onChange={(v) => onChange({ ...condition, values: [first, v] })}
        />
      </div>
    );
  }
  if (taken === "list") {
    return (
      <Form.Group>
        <Form.Control
          as="textarea"
          rows={4}
          autoFocus
          aria-label={tr("Values, one a line")}
          defaultValue={(condition.values ?? []).join("\n")}
          onChange={(e) =>
            onChange({
              ...condition,
              values: e.target.value
                .split("\n")
                .map((v) => v.trim())
                .filter(Boolean),
            })
          }
        />
        <Form.Text>{tr("One value a line; a pasted column will do.")}</Form.Text>
      </Form.Group>
    );
  }
  return (
    <>
      <Value
        field={field}
        label={tr("Value")}
        value={condition.value ?? ""}
        onChange={(value) => onChange({ ...condition, value })}
      />
      {["text", "identifier", "other"].includes(field.kind) && (
        <Form.Check
          id="exact"
          label={tr("match case and spaces exactly")}
          checked={condition.exact ?? false}
          onChange={(e) => onChange({ ...condition, exact: e.target.checked || undefined })}
        />
      )}
    </>
  );
}

function Value({
  field,
  label,
  value,
  onChange,
}: {
  field: FieldInfo;
  label: string;
  value: string | number | boolean;
  onChange: (value: string) => void;
}) {
  const type = field.kind === "date" ? "date" : field.kind === "time" ? "time" : "text";
  const timed = field.kind === "timestamp" || field.kind === "moment";
  if (["integer", "decimal"].includes(field.kind))
    return (
      <NumberInput
        autoFocus={label !== tr("To")}
        aria-label={label}
        placeholder={field.example ?? undefined}
        value={String(value)}
        onNumber={onChange}
      />
    );
  if (timed) return <Moment label={label} value={String(value)} onChange={onChange} />;
  return (
    <Form.Control
      autoFocus={label !== tr("To")}
      aria-label={label}
      type={type}
      placeholder={field.example ?? undefined}
      value={String(value)}
      onChange={(e) => onChange(e.target.value)}
    />
  );
}

/** A day, and, where it matters, its time. */
function Moment({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
}) {
  const [day = "", time = ""] = value.split("T");
  const put = (d: string, t: string) => onChange(t && d ? `${d}T${t}` : d);
  return (
    <div className="d-flex gap-2">
      <Form.Control
        autoFocus={label !== tr("To")}
        aria-label={label}
        type="date"
        value={day}
        onChange={(e) => put(e.target.value, time)}
      />
      <Form.Control
        aria-label={tr("{{label}}: time of day", { label })}
        title={tr("Left empty: the whole day")}
        type="time"
        className="w-auto"
        value={time.slice(0, 5)}
        onChange={(e) => put(day, e.target.value)}
      />
    </div>
  );
}

function ChoiceEditor({
  condition,
  field,
  onChange,
}: {
  condition: Condition;
  field: FieldInfo;
  onChange: (condition: Condition) => void;
}) {
  const many = takes(condition.is) === "list";
  const chosen = (condition.values ?? [condition.value]).map(String);
  const pick = (code: string, on: boolean) => {
    if (!many) return onChange({ ...condition, value: code });
    // Codes stand in the order of the list, whatever the order of the clicks.
    const next = new Set(on ? [...chosen, code] : chosen.filter((c) => c !== code));
    onChange({ ...condition, values: field.choices.map((c) => c.code).filter((c) => next.has(c)) });
  };
  return (
    <div className="choices" role="group" aria-label={tr("Values")}>
      {field.choices.map(({ code, label }) => (
        <label key={code}>
          <input
            type={many ? "checkbox" : "radio"}
            className="form-check-input mt-0"
            checked={chosen.includes(code)}
            onChange={(e) => pick(code, e.target.checked)}
          />
          {label} <code>{code}</code>
        </label>
      ))}
    </div>
  );
}

/** A span of days relative to the run: a usual one by one press, or put together, with the dates it comes to. */
export function WindowEditor({
  window,
  zone,
  onChange,
}: {
  window: Window;
  zone: string;
  onChange: (window: Window) => void;
}) {
  const offered = vocabulary().offered_windows;
  const asked = [window, ...offered];
  const infos = useQuery({
    queryKey: ["windows", zone, asked],
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/windows", {
          body: { windows: asked, zone },
        }),
      ),
    staleTime: 60_000,
    placeholderData: (known) => known,
  });
  return (
    <>
      <WindowParts window={window} onChange={onChange} />
      <div className="d-flex justify-content-between soft">
        <span>{infos.data?.[0]?.dates}</span>
        <span>{zone}</span>
      </div>
      <div>
        {offered.map((w, n) => (
          <button
            key={n}
            type="button"
            className="option"
            aria-pressed={sameKind(w, window)}
            onClick={() => onChange(w)}
          >
            {infos.data?.[n + 1]?.words ?? "…"} <span>{infos.data?.[n + 1]?.dates}</span>
          </button>
        ))}
      </div>
    </>
  );
}
