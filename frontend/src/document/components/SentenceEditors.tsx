import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { FieldGroup, FieldInfo } from "../../api";
import { Icon } from "../../shared";
import type { Action } from "../reducer";
import type { Document, OrderLevel } from "../types";
import { FieldPicker } from "./FieldPicker";
import { OnlyEditor } from "./Memory";
import { tr } from "../../i18n";

export function PicksEditor({ name, onRemove }: { name: string; onRemove: () => void }) {
  return (
    <>
      <p className="mb-0">
        {tr("Only the records of the saved list “{{name}}”. It is kept in Records.", { name })}
      </p>
      <div className="editor-end">
        <Button variant="quiet" size="sm" className="text-danger" onClick={onRemove}>
          {tr("Remove")}
        </Button>
      </div>
    </>
  );
}

export function LimitEditor({
  document,
  dispatch,
}: {
  document: Document;
  dispatch: (action: Action) => void;
}) {
  const limit = document.at_most ?? null;
  return (
    <>
      <Form.Check
        type="radio"
        id="every-row"
        label={tr("every row")}
        checked={limit === null}
        onChange={() => dispatch({ type: "setLimit", rows: null })}
      />
      <div className="d-flex gap-2 align-items-center">
        <Form.Check
          type="radio"
          id="first-rows"
          label={tr("only the first")}
          checked={limit !== null}
          onChange={() => dispatch({ type: "setLimit", rows: limit ?? 100 })}
        />
        <Form.Control
          type="number"
          min={1}
          aria-label={tr("Rows at most")}
          style={{ width: 100 }}
          disabled={limit === null}
          value={limit ?? 100}
          onChange={(e) => dispatch({ type: "setLimit", rows: Math.max(1, Number(e.target.value) || 1) })}
        />
        {tr("rows")}
      </div>
      <OnlyEditor
        document={document}
        onChange={(only) => dispatch({ type: "edit", document: { ...document, only }, touch: "only" })}
      />
    </>
  );
}

/** The order of rows: by fields or by columns of the sheet, whatever these hold. */
export function OrderEditor({
  document,
  groups,
  fields,
  dispatch,
}: {
  document: Document;
  groups: FieldGroup[];
  fields: ReadonlyMap<string, FieldInfo>;
  dispatch: (action: Action) => void;
}) {
  const [adding, setAdding] = useState(false);
  const order = document.order ?? [];
  const set = (next: OrderLevel[]) => dispatch({ type: "setOrder", order: next });
  const change = (at: number, part: Partial<OrderLevel>) =>
    set(order.map((o, n) => (n === at ? { ...o, ...part } : o)));
  const name = (level: OrderLevel) => {
    const column = document.columns?.find((c) => c.id === level.column);
    return column?.heading ?? fields.get(level.path ?? "")?.label ?? level.path ?? level.column;
  };
  const free = (document.columns ?? []).filter(
    (c) => !("constant" in c.value) && !("field" in c.value) && !order.some((o) => o.column === c.id),
  );
  return (
    <>
      {order.map((level, n) => (
        <div key={n} className="d-flex gap-2 align-items-center">
          <b className="flex-fill one-line">{name(level)}</b>
          <Form.Select
            size="sm"
            style={{ width: 128 }}
            aria-label={tr("Direction of {{level}}", { level: name(level) })}
            value={level.direction ?? "ascending"}
            onChange={(e) => change(n, { direction: e.target.value as OrderLevel["direction"] })}
          >
            <option value="ascending">{tr("least first")}</option>
            <option value="descending">{tr("greatest first")}</option>
          </Form.Select>
          <Form.Select
            size="sm"
            style={{ width: 112 }}
            aria-label={tr("Blanks of {{level}}", { level: name(level) })}
            value={level.blanks ?? "last"}
            onChange={(e) => change(n, { blanks: e.target.value as OrderLevel["blanks"] })}
          >
            <option value="last">{tr("blanks last")}</option>
            <option value="first">{tr("blanks first")}</option>
          </Form.Select>
          <button
            type="button"
            className="btn btn-quiet btn-sm"
            disabled={n === 0}
            onClick={() => set(order.map((o, k) => (k === n - 1 ? order[n]! : k === n ? order[n - 1]! : o)))}
          >
            <Icon name="arrowUp" label={tr("{{level}} first", { level: name(level) })} />
          </button>
          <button
            type="button"
            className="btn btn-quiet btn-sm"
            onClick={() => set(order.filter((_, k) => k !== n))}
          >
            <Icon name="x" label={tr("No longer by {{level}}", { level: name(level) })} />
          </button>
        </div>
      ))}
      {adding ? (
        <>
          {free.map((c) => (
            <button
              key={c.id}
              type="button"
              className="option"
              onClick={() => {
                setAdding(false);
                set([...order, { column: c.id }]);
              }}
            >
              {c.heading} <span>{tr("column")}</span>
            </button>
          ))}
          <FieldPicker
            groups={groups}
            onPick={(field) => {
              setAdding(false);
              set([...order, { path: field.path }]);
            }}
          />
        </>
      ) : (
        <Button variant="quiet" size="sm" onClick={() => setAdding(true)}>
          {tr("then by…")}
        </Button>
      )}
      <span className="soft small">
        {tr("Rows that are alike in all of these stand by their record's key.")}
      </span>
    </>
  );
}
