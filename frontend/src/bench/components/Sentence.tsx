import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { FieldGroup, FieldInfo, Problem, RecordType, SentencePart } from "../../api";
import { Icon, count } from "../../shared";
import { firstCondition } from "../defaults";
import { addAlternative, isCondition, nodeAt, rootOf } from "../filter";
import type { Action } from "../reducer";
import type { Document, OrderLevel } from "../types";
import { Chip } from "./Chip";
import { ConditionEditor } from "./ConditionEditor";
import { FieldPicker } from "./FieldPicker";

interface Props {
  parts: SentencePart[];
  document: Document;
  recordType: RecordType | undefined;
  groups: FieldGroup[];
  problems: Problem[];
  editable: boolean;
  dispatch: (action: Action) => void;
}

/** The whole template in words; every part that can be changed is a chip. */
export function Sentence({ parts, document, recordType, groups, problems, editable, dispatch }: Props) {
  const [open, setOpen] = useState<string | null>(null);
  const fields = new Map(groups.flatMap((g) => g.fields.map((f) => [f.path, f] as const)));
  const zone = document.zone ?? "Europe/London";
  const wrongAt = (place: string) =>
    problems.filter((p) => p.place.startsWith(place) && /^(\.|\[|$)/.test(p.place.slice(place.length)));

  const editor = (part: SentencePart) => {
    if (part.role === "records") return <AboutRecords recordType={recordType} />;
    if (part.role === "limit") return <LimitEditor document={document} dispatch={dispatch} />;
    if (part.role === "order")
      return <OrderEditor document={document} groups={groups} fields={fields} dispatch={dispatch} />;
    const node = nodeAt(document, part.place);
    if (!node || !isCondition(node)) return null;
    return (
      <ConditionEditor
        condition={node}
        field={fields.get(node.path)}
        groups={groups}
        zone={zone}
        problems={wrongAt(part.place)}
        onChange={(changed) => dispatch({ type: "setNarrowing", place: part.place, node: changed })}
        onRemove={() => {
          setOpen(null);
          dispatch({ type: "setNarrowing", place: part.place, node: null });
        }}
        onAlternative={(other) => {
          dispatch({ type: "addAlternative", place: part.place, node: other });
          setOpen(`value ${addAlternative(document, part.place, other).place}`);
        }}
      />
    );
  };

  return (
    <section className="sentence" aria-label="The template in words">
      {parts.map((part, n) => {
        if (part.role === "text" || !editable || !canEdit(part, document))
          return (
            <span key={n}>
              {part.text}
              {note(part)}
            </span>
          );
        const key = `${part.role} ${part.place}`;
        const wrong = wrongAt(part.place).length > 0 ? "wrong" : "";
        return (
          <span key={n}>
            <Chip
              label={part.text}
              name={`${part.text}${part.note ? `, ${part.note}` : ""}: change`}
              className={`chip ${part.role} ${wrong}`}
              open={open === key}
              onOpen={(on) => setOpen(on ? key : null)}
              title={titleOf(part, document, fields)}
            >
              {editor(part)}
            </Chip>
            {note(part)}
          </span>
        );
      })}
      {editable && (
        <>
          <Chip
            label="+ narrow further"
            name="Narrow further"
            className="chip-add"
            open={open === "add"}
            onOpen={(on) => setOpen(on ? "add" : null)}
            title="Only records where…"
          >
            <FieldPicker
              groups={groups}
              onPick={(field) => {
                dispatch({ type: "addNarrowing", node: firstCondition(field) });
                setOpen(`value filter.all[${rootOf(document).all.length}]`);
              }}
            />
          </Chip>
          {(document.order ?? []).length === 0 && (
            <Chip
              label="+ put in order"
              name="Put the rows in order"
              className="chip-add"
              open={open === "order"}
              onOpen={(on) => setOpen(on ? "order" : null)}
              title="Order the rows by…"
            >
              <FieldPicker
                groups={groups}
                onPick={(field) => {
                  dispatch({ type: "setOrder", order: [{ path: field.path }] });
                  setOpen("order order[0]");
                }}
              />
            </Chip>
          )}
        </>
      )}
    </section>
  );
}

/** Whether there is an editor for a part of the sentence. */
function canEdit(part: SentencePart, document: Document): boolean {
  if (["records", "limit", "order"].includes(part.role)) return true;
  if (!["field", "value"].includes(part.role) || !part.place.startsWith("filter")) return false;
  if (/\.where\b/.test(part.place)) return false;
  const node = nodeAt(document, part.place);
  return node !== undefined && isCondition(node) && !("ask" in node && node.ask);
}

function note(part: SentencePart) {
  return part.note ? <small> ({part.note})</small> : null;
}

function titleOf(part: SentencePart, document: Document, fields: Map<string, FieldInfo>): string {
  if (part.role === "records") return "One row each";
  if (part.role === "limit") return "How many rows at most?";
  if (part.role === "order") return "In which order?";
  const node = nodeAt(document, part.place);
  if (!node || !isCondition(node)) return "Narrowing";
  const field = fields.get(node.path);
  return field ? (node.is === "in_window" ? `${field.label}: which days?` : field.label) : node.path;
}

function AboutRecords({ recordType }: { recordType: RecordType | undefined }) {
  if (!recordType) return null;
  return (
    <div style={{ maxWidth: 320 }}>
      {recordType.meaning && <p className="mb-2">{recordType.meaning}</p>}
      <p className="soft mb-0">
        About {count(recordType.rows ?? 0)} {recordType.plural} in the source. Rows of another record type are
        another template.
      </p>
    </div>
  );
}

function LimitEditor({ document, dispatch }: { document: Document; dispatch: (action: Action) => void }) {
  const limit = document.at_most ?? null;
  return (
    <>
      <Form.Check
        type="radio"
        id="every-row"
        label="every row"
        checked={limit === null}
        onChange={() => dispatch({ type: "setLimit", rows: null })}
      />
      <div className="d-flex gap-2 align-items-center">
        <Form.Check
          type="radio"
          id="first-rows"
          label="only the first"
          checked={limit !== null}
          onChange={() => dispatch({ type: "setLimit", rows: limit ?? 100 })}
        />
        <Form.Control
          type="number"
          min={1}
          aria-label="Rows at most"
          style={{ width: 100 }}
          disabled={limit === null}
          value={limit ?? 100}
          onChange={(e) => dispatch({ type: "setLimit", rows: Math.max(1, Number(e.target.value) || 1) })}
        />
        rows
      </div>
    </>
  );
}

function OrderEditor({
  document,
  groups,
  fields,
  dispatch,
}: {
  document: Document;
  groups: FieldGroup[];
  fields: Map<string, FieldInfo>;
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
  return (
    <>
      {order.map((level, n) => (
        <div key={n} className="d-flex gap-2 align-items-center">
          <b className="flex-fill one-line">{name(level)}</b>
          <Form.Select
            size="sm"
            style={{ width: 128 }}
            aria-label={`Direction of ${name(level)}`}
            value={level.direction ?? "ascending"}
            onChange={(e) => change(n, { direction: e.target.value as OrderLevel["direction"] })}
          >
            <option value="ascending">least first</option>
            <option value="descending">greatest first</option>
          </Form.Select>
          <Form.Select
            size="sm"
            style={{ width: 112 }}
            aria-label={`Blanks of ${name(level)}`}
            value={level.blanks ?? "last"}
            onChange={(e) => change(n, { blanks: e.target.value as OrderLevel["blanks"] })}
          >
            <option value="last">blanks last</option>
            <option value="first">blanks first</option>
          </Form.Select>
          <button
            type="button"
            className="btn btn-quiet btn-sm"
            onClick={() => set(order.filter((_, k) => k !== n))}
          >
            <Icon name="x" label={`No longer by ${name(level)}`} />
          </button>
        </div>
      ))}
      {adding ? (
        <FieldPicker
          groups={groups}
          onPick={(field) => {
            setAdding(false);
            set([...order, { path: field.path }]);
          }}
        />
      ) : (
        <Button variant="quiet" size="sm" onClick={() => setAdding(true)}>
          then by…
        </Button>
      )}
      <span className="soft small">
        Rows that are alike in all of these stand by their record&apos;s key.
      </span>
    </>
  );
}
