import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { FieldGroup, FieldInfo, RecordTypeFields } from "../../api";
import { firstCondition } from "../defaults";
import { isCondition } from "../filter";
import { useRecordType, useTargetFields } from "../hooks/useFields";
import type { Condition, Has, Narrowing } from "../types";
import { ConditionEditor } from "./ConditionEditor";
import { FieldPicker } from "./FieldPicker";
import { Help } from "../../guide";
import { tr } from "../../i18n";

interface Props {
  has: Has;
  start: RecordTypeFields | undefined;
  zone: string;
  onChange: (has: Has) => void;
  onRemove: () => void;
}

/** Whether a record has many others: any, none, or at least so many, and which of them count. */
export function HasEditor({ has, start, zone, onChange, onRemove }: Props) {
  const ways = start?.many ?? [];
  const way = ways.find((w) => w.path === has.path);
  return (
    <>
      <div className="d-flex gap-2 align-items-center">
        {tr("it has")} <Help topic="narrowing#records-that-there-are-many-of" />
        <Form.Select
          aria-label={tr("How many")}
          style={{ width: 120 }}
          value={has.has}
          onChange={(e) => onChange({ ...has, has: e.target.value as Has["has"] })}
        >
          <option value="any">{tr("any")}</option>
          <option value="none">{tr("no")}</option>
          <option value="at_least">{tr("at least")}</option>
        </Form.Select>
        {has.has === "at_least" && (
          <Form.Control
            type="number"
            min={1}
            style={{ width: 72 }}
            aria-label={tr("At least")}
            value={has.count ?? 1}
            onChange={(e) => onChange({ ...has, count: Math.max(1, Number(e.target.value) || 1) })}
          />
        )}
        <Form.Select
          aria-label={tr("Records")}
          value={has.path}
          onChange={(e) => onChange({ ...has, path: e.target.value, where: undefined })}
        >
          {ways.map((w) => (
            <option key={w.path} value={w.path}>
              {w.path.includes(".") ? w.label.toLowerCase() : w.plural}
            </option>
          ))}
        </Form.Select>
      </div>
      <WhereEditor
        records={way?.records ?? ""}
        what={way?.plural ?? tr("of them")}
        where={has.where ?? null}
        zone={zone}
        onChange={(where) => onChange({ ...has, where: where ?? undefined })}
      />
      <div className="editor-end">
        <Button variant="quiet" size="sm" className="text-danger" onClick={onRemove}>
          {tr("Remove")}
        </Button>
      </div>
    </>
  );
}

/** Which of many records count: conditions that all must hold. Anything deeper stays as it is. */
export function WhereEditor({
  records,
  what,
  where,
  zone,
  onChange,
}: {
  records: string;
  what: string;
  where: Narrowing | null;
  zone: string;
  onChange: (where: Narrowing | null) => void;
}) {
  const type = useRecordType(records);
  const fields = useTargetFields(type.data);
  const [adding, setAdding] = useState(false);
  const parts: Narrowing[] = where === null ? [] : "all" in where ? where.all : [where];
  const set = (next: Narrowing[]) =>
    onChange(next.length === 0 ? null : next.length === 1 ? next[0]! : { all: next });
  const groups: FieldGroup[] = type.data?.groups ?? [];
  return (
    <div className="where">
      {parts.map((part, n) =>
        isCondition(part) ? (
          <OneWhere
            key={n}
            condition={part}
            field={fields.get(part.path ?? "")}
            groups={groups}
            zone={zone}
            onChange={(changed) => set(parts.map((p, k) => (k === n ? changed : p)))}
            onRemove={() => set(parts.filter((_, k) => k !== n))}
          />
        ) : (
          <div key={n} className="soft small">
            {tr("and a condition that is made of several")}
          </div>
        ),
      )}
      {adding ? (
        <FieldPicker
          groups={groups}
          onPick={(field) => {
            setAdding(false);
            set([...parts, firstCondition(field)]);
          }}
        />
      ) : (
        <Button variant="quiet" size="sm" onClick={() => setAdding(true)}>
          {tr("only {{what}} where…", { what })}
        </Button>
      )}
    </div>
  );
}

function OneWhere(props: {
  condition: Condition;
  field: FieldInfo | undefined;
  groups: FieldGroup[];
  zone: string;
  onChange: (condition: Condition) => void;
  onRemove: () => void;
}) {
  return (
    <fieldset className="one-where">
      <legend>
        {tr("where {{label}}", { label: props.field?.label.toLowerCase() ?? props.condition.path })}
      </legend>
      <ConditionEditor {...props} problems={[]} />
    </fieldset>
  );
}
